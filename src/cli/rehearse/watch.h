/* Watches a scene for a page: all packets on the air, while it is played. */
#ifndef CLI_REHEARSE_WATCH_H
#define CLI_REHEARSE_WATCH_H

#include <jansson.h>

#include "scene/scene.h"
#include "world/world.h"

struct watch;

/* Begins. Records still go to `recording`, which may be NULL. NULL if there is no memory. */
struct watch *watch_begin(const struct ys_scene *scene, struct ys_recording *recording);

/* What the scene is given. */
struct ys_recording *watch_recording(struct watch *watch);

/* The timeline, and who takes part; the caller's. Frees the watch. */
json_t *watch_end(struct watch *watch);

#endif
