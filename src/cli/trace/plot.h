/* A trace as a picture. */
#ifndef CLI_TRACE_PLOT_H
#define CLI_TRACE_PLOT_H

#include "cli/trace/view.h"

/* Whether the picture needs packets on the air and HCI, rather than values. */
bool trace_plot_takes_packets(const struct trace_plot *plot);

struct trace_plot *trace_plot_new(const struct trace *trace);
void trace_plot_take(struct trace_plot *plot, const struct trace *trace, const struct ys_seen *seen);
/* Draws it; false after a line. */
bool trace_plot_end(struct trace_plot *plot, const struct trace *trace);
void trace_plot_free(struct trace_plot *plot);
/* Whether it is a word for what can be drawn. */
bool trace_plot_is_known(const char *word);

#endif
