/* What the log says of a device. */
#ifndef WORLD_DEVICE_LOG_H
#define WORLD_DEVICE_LOG_H

#include "world/device_state.h"

/* The name of a value; "something unknown" of what is none. */
const char *ys_device_value_name(const struct ys_device *device, uint16_t handle);

/* Says what has happened to it. */
void ys_device_say(const struct ys_device *device, const struct ys_event *event);

#endif
