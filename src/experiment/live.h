/* Experiments with real controllers, in real time. */
#ifndef EXPERIMENT_LIVE_H
#define EXPERIMENT_LIVE_H

#include <yarnswift/uuid.h>

#include "world/world.h"

struct ys_live {
    struct ys_outside *central; /* the controller of the one that looks, connects and receives; never NULL */
    struct ys_outside *device;  /* of the device; NULL: that is none of the run's, and met by its name: */
    const char *name;
    const struct ys_uuid *value; /* of the characteristic that streams */
    /* The world begins, and keeps to the wall's time from now on; it ends. */
    void (*begin)(void *context, struct ys_world *world);
    void (*end)(void *context, struct ys_world *world);
    void *context;
};

#endif
