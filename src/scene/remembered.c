/* What was written, and is expected to be read again. */
#include "scene/remembered.h"

#include <stdlib.h>
#include <string.h>

#include "design/model/memory.h"
#include "scene/acting.h"

#define NOT_KNOWN SIZE_MAX

/* The device that an act is about: by its step, or by where its peer is. */
static size_t device_of(const struct act *act)
{
    const struct ys_stage *stage = act->stage;
    if (act->step->peer != YS_NOBODY || act->peer == NULL)
        return act->step->peer;
    for (size_t i = 0; i < stage->scene->device_count; i++) {
        const struct ys_address address = stage_address(&stage->actors[i]);
        if (ys_address_is_equal(&address, ys_peer_address(act->peer)))
            return i;
    }
    return YS_NOBODY;
}

static struct remembered *find(const struct ys_stage *stage, size_t device, uint16_t handle)
{
    for (size_t i = 0; i < stage->remembered_count; i++) {
        if (stage->remembered[i].device == device && stage->remembered[i].handle == handle)
            return &stage->remembered[i];
    }
    return NULL;
}

void remember_write(const struct act *act)
{
    struct ys_stage *stage = act->stage;
    const struct ys_bytes *value = &act->step->value;
    size_t device = device_of(act);
    struct remembered *one = find(stage, device, act->handle);
    if (device == YS_NOBODY || act->handle == 0 || (!act->task.good && act->task.answered))
        return;
    if (one == NULL) {
        stage->remembered = ys_grow(stage->remembered, stage->remembered_count, sizeof *stage->remembered);
        one = &stage->remembered[stage->remembered_count++];
        *one = (struct remembered){.device = device, .handle = act->handle};
    }
    free(one->bytes.bytes);
    one->bytes = (struct ys_bytes){.bytes = NULL, .length = NOT_KNOWN};
    if (act->task.good && act->step->response == 1) {
        one->bytes = (struct ys_bytes){.bytes = ys_new(value->length + 1), .length = value->length};
        memcpy(one->bytes.bytes, value->bytes, value->length);
    }
}

void forget_writes(struct ys_stage *stage, size_t device)
{
    for (size_t i = 0; i < stage->remembered_count; i++) {
        if (stage->remembered[i].device == device)
            stage->remembered[i].bytes.length = NOT_KNOWN;
    }
}

const struct ys_bytes *remembered_write(const struct act *act)
{
    const struct remembered *one = find(act->stage, device_of(act), act->handle);
    return one != NULL && one->bytes.length != NOT_KNOWN ? &one->bytes : NULL;
}

void remembered_free(struct ys_stage *stage)
{
    for (size_t i = 0; i < stage->remembered_count; i++)
        free(stage->remembered[i].bytes.bytes);
    free(stage->remembered);
}
