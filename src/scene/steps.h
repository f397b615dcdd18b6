/* Steps within steps. */
#ifndef SCENE_STEPS_H
#define SCENE_STEPS_H

#include "scene/stage_parts.h"

/* One after the other, and round after round. */
void poll_steps(struct act *act);

/* All at once. */
void poll_at_once(struct act *act);

/* Does them until all are done or one has failed. */
bool do_steps(struct ys_stage *stage, const struct ys_steps *steps);

#endif
