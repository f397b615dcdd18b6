/* Values that come to a central. */
#ifndef WORLD_ARRIVALS_H
#define WORLD_ARRIVALS_H

#include "world/central_parts.h"

/* A value has come. */
void central_notified(struct ys_central *central, const struct ys_event *event);

#endif
