/* An encounter: its centrals and their steps, and the scene that is made of it. */
#ifndef ENCOUNTER_ENCOUNTER_H
#define ENCOUNTER_ENCOUNTER_H

#include "encounter/plan.h"

/* A step, in the words of a scene, and its topic: failures of one topic are one finding. */
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

/* The scene, without the steps that were left out; the caller frees it. `comment` has lines to put before it, each with
 * its newline, or is NULL; `lines` gets the line of each step in the scene, if it is not NULL. */
char *ys_encounter_scene(const struct ys_subject *subject, const struct ys_encounter *encounter, const char *comment,
                         int *lines);

#endif
