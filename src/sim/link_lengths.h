/* How long the packets of a connection may be. */
#ifndef SIM_LINK_LENGTHS_H
#define SIM_LINK_LENGTHS_H

#include "sim/link_state.h"

/* What the lengths and the PHYs allow may have changed: tells the host, if so. */
void link_lengths_changed(struct link *link);
/* The lengths that both sides allow. */
struct ys_link_lengths link_effective(const struct link *link);

#endif
