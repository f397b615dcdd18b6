/* The end of a scene. */
#include "scene/scene.h"

#include <stdlib.h>

#include <libfyaml.h>

#define MOST_US (UINT64_MAX / 4) /* a scene that says more says nothing */

void ys_steps_clear(struct ys_steps *steps)
{
    for (size_t i = 0; i < steps->count; i++) {
        struct ys_step *step = &steps->items[i];
        ys_steps_clear(&step->steps);
        for (size_t j = 0; step->order != NULL && j < step->order_count; j++)
            free(step->order[j].bytes);
        free(step->order);
        free(step->order_text);
        free(step->is.bytes);
        free(step->value.bytes);
    }
    free(steps->items);
}

uint64_t ys_steps_last_us(const struct ys_steps *steps, bool at_once)
{
    uint64_t all_us = 0;
    for (size_t i = 0; i < steps->count; i++) {
        const struct ys_step *step = &steps->items[i];
        uint64_t within_us = ys_steps_last_us(&step->steps, step->verb == YS_VERB_AT_ONCE);
        uint64_t times = step->repeat.given ? step->repeat.number : 1;
        uint64_t us = step->wait_us + (step->for_us.given ? step->for_us.number : 0);
        us += within_us == 0 || times < MOST_US / within_us ? times * within_us : MOST_US;
        us = us < MOST_US ? us : MOST_US;
        if (!at_once)
            all_us = all_us + us < MOST_US ? all_us + us : MOST_US;
        else if (us > all_us)
            all_us = us;
    }
    return all_us;
}

void ys_scene_free(struct ys_scene *scene)
{
    if (scene == NULL)
        return;
    ys_steps_clear(&scene->steps);
    for (size_t i = 0; i < scene->actor_count; i++) {
        ys_design_free(scene->actors[i].design);
        free(scene->actors[i].module);
    }
    free(scene->actors);
    free(scene->disturbers);
    ys_findings_clear(&scene->findings);
    for (size_t i = 0; i < scene->document_count; i++)
        fy_document_destroy(scene->documents[i]);
    free(scene->documents);
    free(scene->file);
    free(scene);
}
