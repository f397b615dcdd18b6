/* Files that are generated. */
#ifndef CLI_SHARED_GENERATED_H
#define CLI_SHARED_GENERATED_H

#include <stdbool.h>
#include <stddef.h>

/* Writes a file completely or not at all, and only if its content changes. Refuses to overwrite a file that was not
 * generated. False after a line. */
bool write_generated(const char *path, const char *text, size_t length);

/* Whether `path` may be written by write_generated; false after a line. */
bool may_be_generated(const char *path);

#endif
