/* The keys of behaviour: what the application does, an item for each thing that holds. */
#include "design/reading/behaviour.h"

#include <stddef.h>

#include "design/model/memory.h"
#include "design/model/model.h"

#define COUNT(array)      (sizeof(array) / sizeof((array)[0]))
#define BEHAVIOUR(member) offsetof(struct ys_behaviour, member)

static void take_cause(const struct ys_node *node, struct ys_behaviour *behaviour, enum ys_cause cause)
{
    if (behaviour->cause != YS_CAUSE_NONE)
        ys_findings_add(node->findings, YS_ERROR, "behaviour", node->place,
                        "one item has one action, write or set: begin the next item with a dash");
    behaviour->cause = (int)cause;
    ys_key_written(node, behaviour);
}

static void take_write(const struct ys_node *node, void *target)
{
    take_cause(node, target, YS_CAUSE_WRITE);
}

static void take_set(const struct ys_node *node, void *target)
{
    take_cause(node, target, YS_CAUSE_SET);
}

static void take_effect(const struct ys_node *node, struct ys_behaviour *behaviour, enum ys_effect effect)
{
    if (behaviour->effect != YS_EFFECT_NONE)
        ys_findings_add(node->findings, YS_ERROR, "behaviour", node->place,
                        "one item has one expectation, read, expect or expect none: begin the next item with a dash");
    behaviour->effect = (int)effect;
    ys_key_written(node, behaviour);
}

static void take_read(const struct ys_node *node, void *target)
{
    take_effect(node, target, YS_EFFECT_READ);
}

static void take_expect(const struct ys_node *node, void *target)
{
    take_effect(node, target, YS_EFFECT_TOLD);
}

static void take_silence(const struct ys_node *node, void *target)
{
    take_effect(node, target, YS_EFFECT_SILENCE);
}

static void take_between(const struct ys_node *node, void *target)
{
    struct ys_behaviour *behaviour = target;
    struct ys_node item;
    void *iterator = NULL;
    size_t count = 0;
    while (ys_yaml_next(node, &iterator, &item)) {
        struct ys_written written = {.text = ys_yaml_value(&item), .place = item.place};
        if (count < COUNT(behaviour->between))
            behaviour->between[count] = written;
        count++;
    }
    behaviour->between_count = count;
    if (count != COUNT(behaviour->between))
        ys_findings_add(node->findings, YS_ERROR, "behaviour", node->place,
                        "between needs minimum and maximum, such as [0, 10]");
}

static const struct ys_key behaviour_keys[] = {
    {"write", take_write, &ys_kind_text, "A client writes this value", false, BEHAVIOUR(cause_text)},
    {"set", take_set, &ys_kind_text, "An input of the firmware, or a simulated value, is set at the device", false,
     BEHAVIOUR(cause_text)},
    {"to", ys_key_value, &ys_kind_text, "The value that is written or set (default: any value that may be written)",
     false, BEHAVIOUR(to)},
    {"read", take_read, &ys_kind_text, "This value is then read", false, BEHAVIOUR(effect_text)},
    {"expect", take_expect, &ys_kind_text, "This value is then notified or indicated", false, BEHAVIOUR(effect_text)},
    {"expect none", take_silence, &ys_kind_text, "This value is then neither notified nor indicated", false,
     BEHAVIOUR(effect_text)},
    {"field", ys_key_written, &ys_kind_text, "Compare only this field of a structure", false, BEHAVIOUR(field_text)},
    {"is", ys_key_value, &ys_kind_text, "The value must be this one, or the one that was written", false,
     BEHAVIOUR(is)},
    {"between", take_between, &ys_kind_texts, "The value, a number, must be in this range", false, 0},
    {"within", ys_key_time, &ys_kind_time, "Time limit for the value (default 1 s)", false, BEHAVIOUR(within_us)},
    {"for", ys_key_time, &ys_kind_time, "Time during which no value may come", false, BEHAVIOUR(for_us)},
};
static const struct ys_mapping behaviour_mapping = {"a behaviour", behaviour_keys, COUNT(behaviour_keys), NULL};
const struct ys_kind ys_kind_behaviours = {
    .form = YS_LIST, .items = &(const struct ys_kind){.form = YS_MAPPING, .mapping = &behaviour_mapping}};

void ys_read_behaviours(const struct ys_node *node, void *target)
{
    struct ys_design *design = target;
    struct ys_node item;
    void *iterator = NULL;
    while (ys_yaml_next(node, &iterator, &item)) {
        design->behaviours = ys_grow(design->behaviours, design->behaviour_count, sizeof *design->behaviours);
        struct ys_behaviour *behaviour = &design->behaviours[design->behaviour_count++];
        *behaviour = (struct ys_behaviour){.place = item.place};
        (void)ys_yaml_mapping(&item, &behaviour_mapping, behaviour);
    }
}
