/* A trace as lines. */
#ifndef CLI_TRACE_LINES_H
#define CLI_TRACE_LINES_H

#include "cli/trace/view.h"

/* A message as a line: as text, as JSON. The line is the caller's, without a newline. */
char *trace_line(const struct trace *trace, const struct ys_message *message, uint64_t since_ns);
char *trace_line_json(const struct trace *trace, const struct ys_message *message, uint64_t since_ns);
/* In two columns: the interface to the left, the air to the right. */
char *trace_line_both(const struct trace *trace, const struct ys_message *message);
void trace_head(const struct trace *trace);
/* A row of values, and their head. */
void trace_values_head(FILE *file);
void trace_value(const struct trace *trace, const struct ys_message *message);

#endif
