/* A device in a world: a host on a simulated controller, with firmware or, where there is none, with what its
 * definition says in its place. */
#ifndef WORLD_DEVICE_H
#define WORLD_DEVICE_H

#include <yarnswift/workstation.h>

#include "design/making/layout.h"
#include "simulated/simulated.h"
#include "world/activity.h"
#include "world/hardware.h"
#include "world/image.h"
#include "world/module.h"
#include "world/stand_in.h"
#include "world/world.h"

struct ys_device;

/* A device with firmware. `design` gives the names for the log; all must outlive it. NULL if there is no memory or
 * the host refuses, which it says in the log. */
struct ys_device *ys_device_new(struct ys_world *world, uint16_t number, const char *name,
                                const struct ys_design *design, const struct ys_module *module,
                                const struct ys_hardware *hardware);

/* A device with an image, which must outlive it. */
struct ys_device *ys_device_with_image(struct ys_world *world, uint16_t number, const char *name,
                                       const struct ys_design *design, struct ys_image *image,
                                       const struct ys_hardware *hardware);

/* A device whose host is outside; the plug must outlive it. */
struct ys_plug;
struct ys_device *ys_device_plugged(struct ys_world *world, uint16_t number, const char *name,
                                    const struct ys_design *design, struct ys_plug *plug,
                                    const struct ys_hardware *hardware);

/* A device that its definition plays. */
struct ys_device *ys_device_stand_in(struct ys_world *world, uint16_t number, const char *name,
                                     const struct ys_design *design, const struct ys_hardware *hardware);

void ys_device_free(struct ys_device *device);

/* Switches it on, and off: then it forgets all but what its store has kept. */
void ys_device_start(struct ys_device *device);
void ys_device_stop(struct ys_device *device);
bool ys_device_is_on(const struct ys_device *device);
bool ys_device_is_ready(const struct ys_device *device);

/* Whether what is to be stored is; of an image, which has its own store, it makes no difference. */
void ys_device_store(struct ys_device *device, bool works);

/* Changes an input of its firmware; false if it has none of that name. */
bool ys_device_set(struct ys_device *device, const char *name, int64_t value);

/* The stand-in that plays it; NULL if it has firmware. */
struct ys_stand_in_device *ys_device_stand_in_of(const struct ys_device *device);

/* Lets somebody use its host besides, who is told of its events; only of a stand-in. NULL: nobody does any more. */
typedef void ys_device_event_fn(void *context, const struct ys_event *event);
void ys_device_drive(struct ys_device *device, ys_device_event_fn *take, void *taker);
struct ys_person;
/* Has a stand-in forget whoever has this identity, or with NULL everybody; false if it remembers nobody such. */
bool ys_device_forget(struct ys_device *device, const struct ys_address *identity);

/* Who stands in front of a stand-in. */
struct ys_person *ys_device_person(struct ys_device *device);

/* People do not see it any more. */
void ys_device_hide(struct ys_device *device);

struct ys_host *ys_device_host(struct ys_device *device);
/* NULL while it has no power. */
struct ys_simulated *ys_device_simulated(const struct ys_device *device);

/* What its radio has done since the beginning of the world, while it had power. */
struct ys_activity ys_device_activity(const struct ys_device *device);

/* Whether its firmware has an input of this name; `names` are those that it has. */
bool ys_device_has_input(const struct ys_device *device, const char *name, char *names, size_t size);

/* One of its inputs; NULL after the last. */
const char *ys_device_input(const struct ys_device *device, size_t i);

/* The handle of the value of a characteristic. */
uint16_t ys_device_handle(const struct ys_device *device, const struct ys_characteristic *characteristic);

struct ys_address ys_device_address(const struct ys_device *device);

/* Notifications and indications that it has sent, as its controller was told. */
uint64_t ys_device_notifications(const struct ys_device *device);

#endif
