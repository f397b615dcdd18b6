/* What steps do, as scenes say it. */
#ifndef SCENE_VERBS_H
#define SCENE_VERBS_H

#include "scene/scene.h"

/* The word of a verb. */
const char *ys_verb_word(int verb);

/* The verb of this word; YS_VERB_NONE if there is none. */
int ys_verb_named(const char *word);

#endif
