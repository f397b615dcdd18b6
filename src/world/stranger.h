/* What a central makes of pairing, and what a stranger does. */
#ifndef WORLD_STRANGER_H
#define WORLD_STRANGER_H

#include "world/central_parts.h"

/* An event of pairing. */
void central_paired(struct ys_central *central, const struct ys_event *event);

#endif
