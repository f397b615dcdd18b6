/* Text that comes from elsewhere: well-formed UTF-8 (RFC 3629), and what of it may be shown as it is. */
#ifndef WIRE_UTF8_H
#define WIRE_UTF8_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

/* The character at `text`, of which there are `left` bytes. Returns how many bytes it has; 0 if it is not well-formed.
 */
size_t ys_utf8_get(const void *text, size_t left, uint32_t *character);

/* Whether a character is part of a text, and does nothing to whoever shows it: no control character, no end of a line,
 * nothing that turns the direction of what follows, and no code point that is no character. */
bool ys_character_is_plain(uint32_t character);

/* How many bytes the plain character at `text` has; 0 if there is none. */
size_t ys_utf8_plain(const void *text, size_t left);

/* Copies a text as a name: whatever is not plain becomes a question mark, and a character that does not fit into `size`
 * bytes with the zero at the end, or is cut off itself, is left out with all that follows. `to` may be `text`. */
void ys_utf8_copy_name(char *to, size_t size, const void *text, size_t length);

#endif
