/* A central listens. */
#ifndef WORLD_FINDING_H
#define WORLD_FINDING_H

#include "world/central_parts.h"

/* A report of the host has come. */
void central_heard(struct ys_central *central, const struct ys_event *event);

#endif
