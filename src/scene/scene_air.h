/* What comes of what a scene says of the air. */
#ifndef SCENE_SCENE_AIR_H
#define SCENE_SCENE_AIR_H

#include "scene/scene.h"

/* Completes the air with defaults, and reports impossible values. */
void ys_scene_settle_air(struct ys_scene *scene);

#endif
