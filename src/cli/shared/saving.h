/* Files that the command writes, and says so if it cannot. */
#ifndef CLI_SHARED_SAVING_H
#define CLI_SHARED_SAVING_H

#include <stdbool.h>

#include "capture/file/output.h"

/* Whether a file may be made, as far as can be known before; false after a line. `path` may be NULL. */
bool saving_is_free(const char *path, bool replaces);

/* As ys_output_begin and ys_output_end; false after a line, but for `good`. */
bool saving_begin(struct ys_output *output, const char *path, bool replaces);
bool saving_end(struct ys_output *output, bool good);

/* From now on a signal that ends the command leaves nothing half. */
void saving_watch(void);

#endif
