/* The points of a sweep. */
#ifndef CLI_SWEEP_POINTS_H
#define CLI_SWEEP_POINTS_H

#include "cli/sweep/swept.h"

/* Reads "7.5,15,30..100/10,200..800*2": values, and ranges with an addend or a factor. False after a line. */
bool sweep_axis_read(const char *who, const struct parameter *parameter, const char *text, struct sweep_axis *axis);

void sweep_free(struct sweep *sweep);

/* The plan of a point; its values, one after the other, as they are told apart: "interval=15 mtu=247". */
struct ys_throughput_plan sweep_point(const struct sweep *sweep, size_t index, char *name, size_t size);

/* The index of the value on an axis. */
size_t sweep_place(const struct sweep *sweep, size_t index, size_t axis);

#endif
