/* The end of a scene. */
#include "scene/scene.h"

#include <stdlib.h>

#include <libfyaml.h>

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
