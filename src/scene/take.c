/* What is kept of a scene that was played. */
#include "scene/take.h"

#include <stdlib.h>

void ys_take_clear(struct ys_take *take)
{
    for (size_t i = 0; i < take->step_count; i++) {
        free(take->steps[i].who);
        free(take->steps[i].what);
        free(take->steps[i].expected);
        free(take->steps[i].came);
    }
    for (size_t i = 0; i < take->line_count; i++) {
        free(take->lines[i].who);
        free(take->lines[i].text);
    }
    for (size_t i = 0; i < take->packet_count; i++)
        free(take->packets[i]);
    free(take->steps);
    free(take->lines);
    free(take->packets);
    for (size_t i = 0; i < take->spent_count; i++)
        free(take->spent[i].who);
    free(take->spent);
    for (size_t i = 0; i < take->image_count; i++) {
        for (size_t j = 0; j < take->images[i].call_count; j++)
            free(take->images[i].calls[j].what);
        free(take->images[i].calls);
        free(take->images[i].who);
    }
    free(take->images);
    free(take->problem);
    *take = (struct ys_take){.seed = 0};
}
