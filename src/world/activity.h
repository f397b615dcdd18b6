/* What a radio was used for, as charge is reckoned. */
#ifndef WORLD_ACTIVITY_H
#define WORLD_ACTIVITY_H

#include "measure/charge.h"
#include "sim/radio_use.h"

/* Adds the activity between `from` (NULL: the beginning) and `to`. */
void ys_activity_add(struct ys_activity *activity, const struct ys_radio_use *from, const struct ys_radio_use *to);

#endif
