/* What each kind of step does. */
#ifndef SCENE_ACTS_H
#define SCENE_ACTS_H

#include "scene/stage_parts.h"

extern const struct act_kind act_kinds[YS_VERBS];

#endif
