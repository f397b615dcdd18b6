/* Encounters that are played, each in a process of its own, and their findings. */
#ifndef CLI_MEET_TRIALS_H
#define CLI_MEET_TRIALS_H

#include "encounter/compose.h"
#include "scene/scene.h"

/* What came of one. */
struct trial {
    struct ys_encounter *encounter;
    char *key;      /* findings with the same key have one cause; the same of those that have failed: */
    char *what;     /* the step, or what is wrong */
    char *expected; /* may be empty */
    char *came;
    unsigned steps; /* that were done */
    bool failed;
    double simulated_s;
};

void trial_clear(struct trial *trial);

/* How they are played. */
struct trials {
    const struct ys_subject *subject;
    const struct ys_scene_files *files;
    uint64_t seed;
    size_t at_once;
    unsigned most_s;                        /* what one may have of the processor */
    bool (*may_go_on)(const void *context); /* with making small what has failed */
    const void *context;
};

/* Plays them: `count` encounters, whose results are filled in. False, after a line, if processes cannot be made. */
bool trials_play(const struct trials *trials, struct trial *list, size_t count);

/* Removes everything that is not needed for the finding, and plays the rest again and again. */
void trial_shrink(const struct trials *trials, struct trial *trial);

/* How many steps it has that are not left out. */
size_t trial_steps(const struct trial *trial);

#endif
