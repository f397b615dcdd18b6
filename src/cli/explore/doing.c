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
    return ys_stage_central(explorer->stage, explorer->central);
}

struct ys_peer *explorer_connection(const struct explorer *explorer, size_t device)
{
    struct ys_peer *peer = ys_central_peer_named(explorer_central(explorer), explorer->scene->actors[device].name.text);
    return peer != NULL && ys_peer_is_connected(peer) ? peer : NULL;
}

struct ys_peer *explorer_peer(struct explorer *explorer)
{
    struct ys_peer *peer = explorer_connection(explorer, explorer->current);
    for (size_t i = 0; i < explorer->central && peer == NULL; i++) {
        peer = explorer_connection(explorer, i);
        if (peer != NULL)
            explorer->current = i;
    }
    return peer;
}

const char *explorer_device(const struct explorer *explorer)
{
    return explorer->scene->actors[explorer->current].name.text;
}

json_t *explorer_name(const struct explorer *explorer, json_t *step, const char *key)
{
    if (explorer->central > 1)
        (void)json_object_set_new(step, key, json_string(explorer_device(explorer)));
    return step;
}

void explorer_keep(struct explorer *explorer, struct ys_task *task)
{
    explorer->tasks = ys_grow(explorer->tasks, explorer->task_count, sizeof(struct ys_task *));
    explorer->tasks[explorer->task_count++] = task;
}

uint64_t explorer_now_ns(const struct explorer *explorer)
{
    return ys_world_now_ns(ys_stage_world(explorer->stage));
}

bool explorer_do(struct explorer *explorer, json_t *step)
{
    struct ys_steps steps;
    bool written = json_is_string(step); /* by whoever types */
    char *text = written ? ys_copy(json_string_value(step), json_string_length(step)) : json_dumps(step, 0);
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
    const char *code = done != NULL && !passed && !written ? strstr(done->came, "(0x") : NULL;
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
        if (done != NULL && written && done->expected[0] != '\0')
            (void)printf("  expected: %s\n  came:     %s\n", done->expected, done->came);
        else if (done != NULL && !logged)
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
