/* Common parts of all kinds of steps: their actors, comparisons, and ends. */
#ifndef SCENE_ACTING_H
#define SCENE_ACTING_H

#include "scene/stage_parts.h"

/* Ends it, and says what came. */
#if defined(__GNUC__)
__attribute__((format(printf, 3, 4)))
#endif
void act_end(struct act *act, bool passed, const char *format, ...);

/* The address of an actor's host, at which it can be heard. */
struct ys_address stage_address(const struct on_stage *one);

/* The part of a value that is compared: all, or the field that the step names; NULL if that is absent. */
const uint8_t *act_compared(const struct act *act, const uint8_t *bytes, size_t *length);

/* The value of a step's field in these bytes, as expected or not: `is`, or `between`. */
bool act_value_fits(const struct act *act, const uint8_t *bytes, size_t length);

/* Puts it into what is expected: "between 0 N m and 42 N m". */
void act_say_value(struct act *act);

/* The place of the mark of what an act looks at. */
uint64_t *act_mark(const struct act *act);

/* The peer of a step: the one that it names, or the one found, or the only one with a connection. False, and the act
 * has failed, if there is none. */
bool act_find_peer(struct act *act);

/* The same, with the handle of the characteristic. */
bool act_find_value(struct act *act);

struct on_stage *act_who(const struct act *act);

/* The time in the scene's world. */
uint64_t act_now_ns(const struct act *act);

/* A copy of a text; the caller's. */
char *stage_copy(const char *text);

/* Frees an act, and those within it. */
void act_free(struct act *act);

#endif
