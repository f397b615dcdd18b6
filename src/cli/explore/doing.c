/* What is done at the prompt, and what could not be. */
#include "cli/explore/doing.h"

#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "design/model/memory.h"
#include "scene/scene_read.h"

void explorer_refuse(struct explorer *explorer, const char *format, ...)
{
    va_list arguments;
    explorer->wrong = true;
    (void)fputs("  ", stdout);
    va_start(arguments, format);
    (void)vprintf(format, arguments);
    va_end(arguments);
    (void)putchar('\n');
}

struct ys_central *explorer_central(const struct explorer *explorer)
{
    return ys_stage_central(explorer->stage, EXPLORED_CENTRAL);
}

struct ys_peer *explorer_peer(const struct explorer *explorer)
{
    size_t count = 0;
    return ys_central_connected(explorer_central(explorer), &count);
}

uint64_t explorer_now_ns(const struct explorer *explorer)
{
    return ys_world_now_ns(ys_stage_world(explorer->stage));
}

/* Does a step as a scene would. It is kept to be saved, unless it was not understood. Takes the step. */
bool explorer_do(struct explorer *explorer, json_t *step)
{
    struct ys_steps steps;
    char *text = json_dumps(step, 0);
    uint64_t began_ns = explorer_now_ns(explorer);
    bool good = ys_scene_read_step(explorer->scene, text, &steps);
    free(text);
    explorer->steps = ys_grow(explorer->steps, explorer->step_count, sizeof *explorer->steps);
    explorer->steps[explorer->step_count++] = steps;
    for (size_t i = 0; i < explorer->scene->findings.count; i++)
        explorer_refuse(explorer, "%s", explorer->scene->findings.items[i].text);
    if (!good) {
        json_decref(step);
        return false;
    }
    bool passed = ys_stage_do(explorer->stage, &steps);
    const struct ys_done_step *done =
        explorer->take.step_count > 0 ? &explorer->take.steps[explorer->take.step_count - 1] : NULL;
    const char *code = done != NULL && !passed ? strstr(done->came, "(0x") : NULL;
    if (code != NULL) { /* it was refused, and shall be again */
        char reason[8];
        (void)snprintf(reason, sizeof reason, "%.4s", code + 1);
        (void)json_object_set_new(step, "fails", json_string(reason));
    } else if (explorer->take.problem != NULL) {
        explorer_refuse(explorer, "%s", explorer->take.problem);
        json_decref(step);
        return false;
    } else if (!passed) {
        const struct ys_take *take = &explorer->take;
        bool logged = !explorer->silent && take->line_count > 0 && done != NULL &&
                      strstr(take->lines[take->line_count - 1].text, done->came) != NULL;
        if (done != NULL && !logged)
            (void)printf("  %s\n", done->came);
        json_decref(step);
        return false;
    }
    session_add(&explorer->session, step, began_ns, explorer_now_ns(explorer));
    return passed;
}

void explorer_end(struct explorer *explorer)
{
    ys_stage_free(explorer->stage);
    ys_take_clear(&explorer->take);
    for (size_t i = 0; i < explorer->step_count; i++)
        ys_steps_clear(&explorer->steps[i]);
    free(explorer->steps);
    for (size_t i = 0; i < explorer->task_count; i++)
        free(explorer->tasks[i]);
    free(explorer->tasks);
    ys_scene_free(explorer->scene);
    session_clear(&explorer->session);
    json_decref(explorer->head);
}
