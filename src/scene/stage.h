/* A scene on its stage: the world, the actors, and the steps in progress. */
#ifndef SCENE_STAGE_H
#define SCENE_STAGE_H

#include <stdio.h>

#include "scene/scene.h"
#include "scene/take.h"
#include "world/central.h"
#include "world/device.h"
#include "world/packets.h"

struct ys_stage;

/* Sets a scene up, and switches everybody on. What happens goes to `take`, and each line of the log to `line` as well,
 * if that is not NULL; and what is on the air and crosses HCI to `recording`. With `packets` the last packets are
 * known, which costs a fifth of a simulation. NULL, with the problem in the take, if that cannot be. All must
 * outlive it. */
struct ys_stage *ys_stage_new(const struct ys_scene *scene, struct ys_take *take, uint64_t seed, bool packets,
                              struct ys_recording *recording, ys_line_fn *line, void *context);
void ys_stage_free(struct ys_stage *stage);

/* Does steps one after the other, until all are done or one has failed; returns whether all succeeded. */
bool ys_stage_do(struct ys_stage *stage, const struct ys_steps *steps);

struct ys_world *ys_stage_world(struct ys_stage *stage);
/* The last packets; NULL without. */
struct ys_packets *ys_stage_packets(struct ys_stage *stage);
struct ys_central *ys_stage_central(struct ys_stage *stage, size_t actor);
struct ys_device *ys_stage_device(struct ys_stage *stage, size_t actor);
/* Of a device whose host is outside; else NULL. */
struct ys_plug *ys_stage_plug(struct ys_stage *stage, size_t actor);

/* Called when the stage of a scene has been set up, and before it is removed. */
struct ys_beside {
    void (*begin)(void *context, struct ys_stage *stage);
    void (*end)(void *context, struct ys_stage *stage);
    void *context;
};

/* Plays a scene once, from its beginning to its end; `beside` may be NULL. With `packets` a take that failed has the
 * last ones. */
void ys_scene_play(const struct ys_scene *scene, uint64_t seed, bool packets, struct ys_recording *recording,
                   const struct ys_beside *beside, struct ys_take *take);

#endif
