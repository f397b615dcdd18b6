/* Common parts of all kinds of steps: their actors, comparisons, and ends. */
#include "scene/acting.h"

#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "design/model/memory.h"
#include "design/model/value.h"
#include "wire/utf8.h"

/* The text of a step or a log may contain any value: it is stored so that it can be printed. */
char *stage_copy(const char *text)
{
    size_t length = strlen(text);
    char *kept = ys_new(length + 1);
    ys_utf8_copy_name(kept, length + 1, text, length);
    return kept;
}

struct ys_address stage_address(const struct on_stage *one)
{
    return one->device != NULL ? ys_device_address(one->device) : ys_central_address(one->central);
}

void act_end(struct act *act, bool passed, const char *format, ...)
{
    va_list arguments;
    va_start(arguments, format);
    (void)vsnprintf(act->came, sizeof act->came, format, arguments);
    va_end(arguments);
    act->state = passed ? ACT_PASSED : ACT_FAILED;
}

struct on_stage *act_who(const struct act *act)
{
    return &act->stage->actors[act->step->who];
}

uint64_t act_now_ns(const struct act *act)
{
    return ys_world_now_ns(&act->stage->world);
}

bool act_find_peer(struct act *act)
{
    struct ys_central *central = act_who(act)->central;
    size_t count = 0;
    if (act->step->peer != YS_NOBODY) {
        const struct on_stage *other = &act->stage->actors[act->step->peer];
        const struct ys_address address = stage_address(other);
        act->peer = ys_central_peer_named(central, other->actor->name.text);
        if (act->peer == NULL)
            act->peer = ys_central_peer(central, &address);
        return act->peer != NULL;
    }
    struct ys_peer *connected = ys_central_connected(central, &count);
    act->peer = count == 1 ? connected : ys_central_found(central);
    if (act->peer == NULL)
        act_end(act, false, "%s has found no device yet: add find, or name the device", ys_central_name(central));
    return act->peer != NULL;
}

bool act_find_value(struct act *act)
{
    const struct ys_step *step = act->step;
    if (!act_find_peer(act))
        return false;
    act->handle = step->characteristic != NULL ? ys_peer_handle(act->peer, step->characteristic) : step->handle;
    if (act->handle == 0)
        act_end(act, false, "%s has not discovered it: discover first", act_who(act)->actor->name.text);
    return act->handle != 0;
}

uint64_t *act_mark(const struct act *act)
{
    struct ys_stage *stage = act->stage;
    for (size_t i = 0; i < stage->mark_count; i++) {
        struct mark *mark = &stage->marks[i];
        if (mark->who == act->step->who && mark->peer == act->peer && mark->handle == act->handle)
            return &mark->number;
    }
    stage->marks = ys_grow(stage->marks, stage->mark_count, sizeof *stage->marks);
    stage->marks[stage->mark_count] = (struct mark){.who = act->step->who, .peer = act->peer, .handle = act->handle};
    return &stage->marks[stage->mark_count++].number;
}

const uint8_t *act_compared(const struct act *act, const uint8_t *bytes, size_t *length)
{
    const struct ys_step *step = act->step;
    if (step->characteristic == NULL || step->field == &step->characteristic->type)
        return bytes;
    return ys_value_part(&step->characteristic->type, bytes, *length, step->field, length);
}

bool act_value_fits(const struct act *act, const uint8_t *bytes, size_t length)
{
    const struct ys_step *step = act->step;
    double number = 0;
    const uint8_t *part = act_compared(act, bytes, &length);
    if (part == NULL)
        return false;
    if (step->is_text.text != NULL)
        return step->is.length == length && memcmp(step->is.bytes, part, length) == 0;
    if (step->between_count > 0)
        return ys_value_number(step->field, part, length, &number) && number >= step->between[0] &&
               number <= step->between[1];
    return true;
}

void act_say_value(struct act *act)
{
    const struct ys_step *step = act->step;
    if (step->is_text.text != NULL)
        (void)snprintf(act->expected, sizeof act->expected, "%s", step->is_text.text);
    else if (step->between_count > 0)
        (void)snprintf(act->expected, sizeof act->expected, "between %s and %s", step->between_text[0].text,
                       step->between_text[1].text);
    else
        (void)snprintf(act->expected, sizeof act->expected, "a value");
}

void act_free(struct act *act)
{
    for (size_t i = 0; i < act->child_count; i++)
        act_free(act->children[i]);
    free(act->children);
    free(act);
}
