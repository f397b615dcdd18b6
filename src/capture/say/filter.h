/* Filters: which messages are wanted, in a small language.
 *
 *   filter    = all { "or" all }
 *   all       = one { "and" one }
 *   one       = "not" one | "(" filter ")" | who | what | comparison | flag | kind
 *   who       = ( "from" | "to" | "with" ) NAME          a device by its name or address
 *   what      = ( "service" | "characteristic" | "protocol" | "layer" | "kind" ) NAME
 *   comparison = subject relation NUMBER [ UNIT ] | subject ( "=" | "!=" ) "TEXT"
 *   subject   = time, since, strength, channel, length, number, handle, connection, value, or the name of a
 *               characteristic
 *   relation  = "=" | "!=" | "<" | "<=" | ">" | ">="
 *   flag      = error | again | damaged | encrypted | decrypted
 *   kind      = the name of a message, such as: notification, write request, LL_LENGTH_REQ
 *
 * Names of several words need no quotes, unless "and", "or" or "not" is among them. */
#ifndef CAPTURE_FILTER_H
#define CAPTURE_FILTER_H

#include <stddef.h>

struct ys_filter;

/* Reads a filter. NULL, with the problem in `error` and the column, from 1, at which it lies, if it cannot be read. */
struct ys_filter *ys_filter_parse(const char *text, char *error, size_t size, size_t *column);
void ys_filter_free(struct ys_filter *filter);

#endif
