/* Steps in words. */
#ifndef SCENE_SCENE_WORDS_H
#define SCENE_SCENE_WORDS_H

#include <stddef.h>

#include "scene/scene.h"

/* How a person says what a step does: read preset of wrench. */
void ys_step_say(const struct ys_step *step, char *text, size_t size);

#endif
