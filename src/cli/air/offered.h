/* A simulated controller that is offered to a host of somebody else's: at a pseudo-terminal, or at a socket. */
#ifndef CLI_AIR_OFFERED_H
#define CLI_AIR_OFFERED_H

#include <poll.h>
#include <stdbool.h>

#include "world/plug.h"
#include "world/world.h"

struct offered;

/* Where they are and what they are like. */
struct offering {
    struct ys_world *world;
    const char *folder; /* of sockets; NULL: pseudo-terminals */
    unsigned long long seed;
    uint16_t first;       /* number of the first on the air */
    uint16_t number;      /* of this one, from 1 */
    struct ys_plug *plug; /* of a device of the scene, whose controller it then is; NULL: it has one of its own */
    const char *name;     /* of that device */
    void (*say)(void *context, const char *name, const char *text);
    void *context;
};

/* NULL after a line; `who` is the verb. */
struct offered *offered_new(const char *who, const struct offering *offering);
void offered_free(struct offered *offered);

/* Where its host finds it. */
const char *offered_path(const struct offered *offered);
const char *offered_name(const struct offered *offered);

/* The descriptor to wait for. The second function passes received bytes to the controller, and its answers to the
 * host. */
struct pollfd offered_waits(const struct offered *offered);
void offered_turn(struct offered *offered);

#endif
