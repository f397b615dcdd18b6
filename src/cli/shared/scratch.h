/* A folder for files that are gone afterwards. */
#ifndef CLI_SHARED_SCRATCH_H
#define CLI_SHARED_SCRATCH_H

#include <stdbool.h>
#include <stddef.h>

/* Creates a folder in TMPDIR or /tmp, and returns its path. False, after a line, if that fails; `folder` is then
 * empty. */
bool scratch_begin(const char *who, char *folder, size_t size);

/* Removes it with all that is in it, if there is one. */
void scratch_end(const char *folder);

#endif
