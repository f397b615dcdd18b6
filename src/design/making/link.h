/* What a definition says of its connections, as the host takes it. */
#ifndef DESIGN_MAKING_LINK_H
#define DESIGN_MAKING_LINK_H

#include <yarnswift/link.h>

#include "design/model/model.h"

/* What a definition that was checked wants of its connections; false if it says nothing. */
bool ys_link_of(const struct ys_design *design, struct ys_link_wishes *wishes);

/* The shortest supervision timeout that is more than (1 + latency) x interval x 2, in whole steps; and the one that is
 * asked for: what is said, or else 4 s, or as much more as six events need. */
uint64_t ys_link_least_timeout_us(const struct ys_device_link *link);
uint64_t ys_link_timeout_us(const struct ys_device_link *link);

#define YS_LINK_TIMEOUT_MOST_US 32000000

#endif
