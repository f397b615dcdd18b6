/* What only an image tells: how much its handlers take, how deep its stack was, what its parts take, how often it woke.
 */
#ifndef SCENE_IMAGE_TOLD_H
#define SCENE_IMAGE_TOLD_H

#include "scene/stage_parts.h"

/* Adds it to the take, of each device with an image; and a step that has failed where one takes more than the limits of
 * its definition. False if there was such. */
bool image_tell_all(const struct ys_stage *stage);

#endif
