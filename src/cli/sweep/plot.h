/* A sweep as a picture. */
#ifndef CLI_SWEEP_PLOT_H
#define CLI_SWEEP_PLOT_H

#include "cli/sweep/swept.h"

/* Whether a picture can show this number of parameters with several values; false after a line. */
bool sweep_can_be_drawn(const char *who, const struct sweep *sweep, bool heat);

/* Draws lines over one axis, or over two, or with `heat` a map of two; over a picture that is there only if it
 * `replaces`. False after a line. */
bool sweep_draw(const char *who, const char *path, const struct sweep *sweep, const struct sweep_result *results,
                const char *title, bool heat, bool replaces);

#endif
