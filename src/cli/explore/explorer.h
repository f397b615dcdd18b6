/* A central at the prompt, among devices. */
#ifndef CLI_EXPLORE_EXPLORER_H
#define CLI_EXPLORE_EXPLORER_H

#include "cli/explore/prompt.h"
#include "cli/explore/session.h"
#include "scene/stage.h"

struct explorer {
    struct ys_scene *scene; /* its actors: the devices, and after them the central */
    size_t central;         /* its number, and how many devices there are */
    size_t current;         /* the device that is meant where none is named */
    struct ys_take take;
    struct ys_stage *stage;
    struct ys_steps *steps; /* that were done; each one alone */
    size_t step_count;
    struct prompt *prompt;
    struct session session;
    json_t *head; /* of the scene, for saving */
    bool clock_runs;
    bool quits;
    bool wrong; /* something could not be understood */
    bool colour;
    bool silent;            /* nothing of the log is shown */
    struct ys_task **tasks; /* that were begun beside the steps */
    size_t task_count;
    char words[64][80]; /* for completion */
};

#endif
