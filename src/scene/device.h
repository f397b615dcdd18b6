/* A device in a world: a host on a simulated controller, with firmware or, where there is none, with what its
 * definition says in its place. */
#ifndef SCENE_DEVICE_H
#define SCENE_DEVICE_H

#include <yarnswift/workstation.h>

#include "design/layout.h"
#include "scene/world.h"
#include "simulated/simulated.h"

/* What a device has done, as its controller was told. */
struct ys_device_counts {
    uint64_t notifications; /* and indications */
};

struct ys_device;

/* A device with firmware. `design` gives the names for the log; both must outlive it. NULL if there is no memory or
 * the host refuses. */
struct ys_device *ys_device_new(struct ys_world *world, uint16_t number, const char *name,
                                const struct ys_design *design, const struct ys_firmware *firmware);

/* A device that its definition plays. */
struct ys_device *ys_device_stand_in(struct ys_world *world, uint16_t number, const char *name,
                                     const struct ys_design *design);

void ys_device_free(struct ys_device *device);

/* Switches it on. */
void ys_device_start(struct ys_device *device);

/* Begins or ends what it is for. */
void ys_device_act(struct ys_device *device, bool on);

struct ys_address ys_device_address(const struct ys_device *device);
const struct ys_device_counts *ys_device_counts(const struct ys_device *device);

#endif
