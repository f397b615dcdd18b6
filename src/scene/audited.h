/* A scene that is watched against the rules of the standard while it is played. */
#ifndef SCENE_AUDITED_H
#define SCENE_AUDITED_H

#include "scene/stage_parts.h"

struct audited;

/* Watches all that happens on a stage from now on. NULL if there is no memory. */
struct audited *audited_new(struct ys_stage *stage);
void audited_free(struct audited *audited);

/* The scene is over: each rule that one of its devices has broken becomes a step that has failed. False if there is
 * one. */
bool audited_tell(struct audited *audited);

#endif
