/* Files that are generated. */
#ifndef CLI_SHARED_GENERATED_H
#define CLI_SHARED_GENERATED_H

#include <stdbool.h>
#include <stddef.h>

/* Writes a file whole or not at all, and only if it is different from what is there. Refuses to write over a
 * file that was not generated. Returns false after a line on what went wrong. */
bool write_generated(const char *path, const char *text, size_t length);

/* Whether `path` may be written by write_generated. Says so if not. */
bool may_be_generated(const char *path);

#endif
