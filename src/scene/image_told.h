/* Results that only an image has: instructions of handlers, stack depth, memory of parts, wake-ups. */
#ifndef SCENE_IMAGE_TOLD_H
#define SCENE_IMAGE_TOLD_H

#include "scene/stage_parts.h"

/* Adds it to the take, of each device with an image; and a step that has failed where one takes more than the limits of
 * its definition. False if there was such. */
bool image_tell_all(const struct ys_stage *stage);

#endif
