/* The last value that was written to each attribute, to compare with later reads. */
#ifndef SCENE_REMEMBERED_H
#define SCENE_REMEMBERED_H

#include "scene/stage_parts.h"

/* A value of a device, with the last value written to it, if known. */
struct remembered {
    size_t device;
    uint16_t handle;
    struct ys_bytes bytes; /* of length SIZE_MAX: it is not known any more */
};

/* A write has ended. One that was refused leaves the value as it was; of one without an answer nothing is known. */
void remember_write(const struct act *act);

/* A device was switched off, or its values were changed from outside: nothing is known of them any more. */
void forget_writes(struct ys_stage *stage, size_t device);

/* The last value written to the attribute of an act, or NULL. */
const struct ys_bytes *remembered_write(const struct act *act);

void remembered_free(struct ys_stage *stage);

#endif
