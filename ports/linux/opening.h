/* Where a controller is, as a path or a name: opened. */
#ifndef PORTS_LINUX_OPENING_H
#define PORTS_LINUX_OPENING_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

/* A descriptor, and whether it carries whole packets; -1, and why with what to do in `problem`. As struct
 * ys_line_settings says. */
int opening_open(const char *where, uint32_t bps, bool flow_control, bool *packets, char *problem, size_t size);

#endif
