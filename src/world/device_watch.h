/* The firmware's handlers, so that it is known which of them runs. */
#ifndef WORLD_DEVICE_WATCH_H
#define WORLD_DEVICE_WATCH_H

#include "world/device_state.h"

/* Makes the table that its host gets: the firmware's, but that its handlers are called by those of this file. False if
 * there is no memory. */
bool ys_device_watch(struct ys_device *device);

#endif
