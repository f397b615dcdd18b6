/* A table made from a design at run time, whose values move as the definition says. */
#ifndef WORLD_STAND_IN_H
#define WORLD_STAND_IN_H

#include <yarnswift/gap.h>
#include <yarnswift/host.h>

#include "design/making/layout.h"
#include "world/world.h"

struct ys_stand_in_device;

struct ys_stand_in_device *ys_stand_in_new(struct ys_world *world, const struct ys_design *design, uint16_t number);
void ys_stand_in_free(struct ys_stand_in_device *device);

const struct ys_table *ys_stand_in_table(const struct ys_stand_in_device *device);
/* Memory of its stored values. */
uint8_t *ys_stand_in_values(const struct ys_stand_in_device *device);

const struct ys_advertising *ys_stand_in_advertising(const struct ys_stand_in_device *device);

/* Starts its values moving, from where they begin, and says so to `host`. */
void ys_stand_in_start(struct ys_stand_in_device *device, struct ys_host *host);

/* Stops them; there is no host any more. */
void ys_stand_in_stop(struct ys_stand_in_device *device);

/* Gives a characteristic a value, as its sensor would; from then on it does not move by itself. */
void ys_stand_in_set(struct ys_stand_in_device *device, uint16_t handle, const uint8_t *bytes, size_t length);

/* The name of the characteristic to which an attribute belongs; NULL if it belongs to none. */
const char *ys_stand_in_name(const struct ys_stand_in_device *device, uint16_t handle);

#endif
