/* What a scene means together. */
#ifndef SCENE_SCENE_CHECK_H
#define SCENE_SCENE_CHECK_H

#include "scene/scene.h"

/* Checks what it says together. Called by ys_scene_read. */
void ys_scene_check(struct ys_scene *scene, const struct ys_scene_files *files);

void ys_scene_check_step(struct ys_scene *scene, struct ys_step *step);

#endif
