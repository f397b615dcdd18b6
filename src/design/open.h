/* Definitions in files. */
#ifndef DESIGN_OPEN_H
#define DESIGN_OPEN_H

#include "design/model.h"

/* ys_design_read from a file of at most 16 MiB, with what it includes from other files. NULL, with errno, if it cannot
 * be read; EFBIG if it is longer. */
struct ys_design *ys_design_open(const char *path);

/* A path as the file means it that names it: from its own folder. The caller frees it. */
char *ys_path_beside(const char *file, const char *path);

/* Reads a whole file of at most `most` bytes; the caller frees it. NULL with errno; EFBIG if it is longer. */
char *ys_file_read(const char *path, size_t most, size_t *length);

#endif
