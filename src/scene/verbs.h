/* What steps do, as scenes say it. */
#ifndef SCENE_VERBS_H
#define SCENE_VERBS_H

#include "scene/scene.h"

/* The word of a verb. */
const char *ys_verb_word(int verb);

/* The verb of this word; YS_VERB_NONE if there is none. */
int ys_verb_named(const char *word);

/* Takes the first of several reasons, such as "out of range or cannot be written". Returns what is after it, or NULL
 * if it was the last. */
const char *ys_reason_next(const char *reasons, char *reason, size_t size);

/* Stands for whatever the reason is. */
#define YS_ANY_REASON "anything"

/* Whether one of these reasons, or the whole text, is in the result. */
bool ys_reason_is(const char *reasons, const char *came);

#endif
