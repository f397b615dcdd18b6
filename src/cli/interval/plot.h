/* Intervals and times until found as a picture. */
#ifndef CLI_INTERVAL_PLOT_H
#define CLI_INTERVAL_PLOT_H

#include "cli/interval/measured.h"

/* Draws the intervals, and the share that has found it over time; over a picture that is there only if it `replaces`.
 * False after a line. */
bool interval_draw(const char *who, const char *path, bool replaces, const struct measured *measured);

#endif
