/* A central at the prompt: types. */
#ifndef CLI_EXPLORE_EXPLORER_H
#define CLI_EXPLORE_EXPLORER_H

#include "cli/explore/prompt.h"
#include "cli/explore/session.h"
#include "scene/stage.h"

/* The actors of the scene that is being explored. */
enum { EXPLORED_DEVICE, EXPLORED_CENTRAL };

struct explorer {
    struct ys_scene *scene;
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
