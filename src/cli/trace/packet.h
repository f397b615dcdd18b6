/* One record, shown whole. */
#ifndef CLI_TRACE_PACKET_H
#define CLI_TRACE_PACKET_H

#include "cli/trace/view.h"

/* Shows all of a record. */
void trace_packet(const struct trace *trace, const struct ys_seen *seen);

#endif
