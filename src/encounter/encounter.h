/* An encounter: who comes, and what they do, step by step; and the scene that it is. */
#ifndef ENCOUNTER_ENCOUNTER_H
#define ENCOUNTER_ENCOUNTER_H

#include "encounter/plan.h"

/* A step, in the words of a scene, and what it is about: findings of one topic are one. */
struct ys_encounter_step {
    char *text;
    char *topic;
    bool left_out;
};

/* Somebody who comes. */
struct ys_encounter_central {
    char *text;
    char name; /* that stands in the steps */
};

struct ys_encounter {
    struct ys_choice choice;
    bool far; /* whoever comes is far away */
    struct ys_encounter_central centrals[4];
    size_t central_count;
    struct ys_encounter_step *steps;
    size_t step_count;
    uint64_t behaved; /* which items of the definition's behaviour it tries, a bit each */
};

/* A text in quotes, as YAML has it: whatever it is. The caller's. */
char *ys_encounter_quoted(const char *text);

void ys_encounter_free(struct ys_encounter *encounter);

/* The scene, without what was left out; the caller's. `comment` are lines that stand before it, each with its newline,
 * or NULL; `lines` gets which line of the scene each step is in, if it is not NULL. */
char *ys_encounter_scene(const struct ys_subject *subject, const struct ys_encounter *encounter, const char *comment,
                         int *lines);

#endif
