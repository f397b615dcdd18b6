/* What a device in a world consists of: types, for its own parts. */
#ifndef WORLD_DEVICE_STATE_H
#define WORLD_DEVICE_STATE_H

#include <stddef.h>

#include "design/making/layout.h"
#include "simulated/simulated.h"
#include "world/activity.h"
#include "world/hardware.h"
#include "world/image.h"
#include "world/module.h"
#include "world/people.h"
#include "world/stand_in.h"
#include "world/world.h"

/* Where the firmware's handlers go through, so that it is known which of them runs. */
struct watched_table {
    struct ys_table table;
    struct ys_attribute *attributes;
    struct ys_value *values;
};

struct ys_device {
    struct ys_world *world;
    const char *name;
    uint16_t number;
    const struct ys_design *design;
    struct ys_layout *layout;
    struct ys_hardware hardware;
    struct ys_firmware firmware;
    struct ys_module module;
    struct watched_table watched;
    struct ys_stand_in_device *stand_in; /* or NULL; also the next: */
    struct ys_image *image;              /* where its firmware is */
    struct ys_plug *plug;                /* where its host is */
    struct ys_store *store;              /* what survives without power */
    struct ys_simulated *simulated;      /* NULL: it has no power */
    uint64_t on_since_ns;                /* it has had power */
    struct ys_activity activity;         /* of its radio, before it was switched off; without the time */
    struct ys_timer interrupt;
    struct ys_running before_work;
    uint64_t notifications;                                    /* and indications, as its controller was told */
    void (*take)(void *context, const struct ys_event *event); /* of whoever uses its host too, or NULL */
    void *taker;
    struct ys_person person; /* in front of it, if its definition plays it */
    uint32_t starts;
    bool advertised;
    bool ready;
    max_align_t host[]; /* as large as the library says with which the firmware was compiled */
};

static inline struct ys_host *ys_device_own_host(struct ys_device *device)
{
    return (struct ys_host *)(void *)device->host;
}

/* An event's or an access's host lies in its device. */
static inline struct ys_device *ys_device_of(struct ys_host *host)
{
    return (struct ys_device *)(void *)((char *)host - offsetof(struct ys_device, host));
}

#endif
