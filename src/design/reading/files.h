/* Files that a definition or a scene names. */
#ifndef DESIGN_READING_FILES_H
#define DESIGN_READING_FILES_H

#include "design/model/model.h"

/* A path as the file means it that names it: from its own folder. The caller frees it. */
char *ys_path_beside(const char *file, const char *path);

/* Reads a whole file of at most `most` bytes; the caller frees it. NULL with errno; EFBIG if it is longer. */
char *ys_file_read(const char *path, size_t most, size_t *length);

/* Loads a file whose path is meant from the folder of the file of `place`, and ends it with a zero. NULL if it cannot
 * be read; `*path`, by which it was looked for, is the caller's in any case. */
char *ys_load_beside(const struct ys_design *design, struct ys_place place, const char *name, char **path,
                     size_t *length);

#endif
