/* The behaviour that a definition demands of its application: each item as steps, if the central may see it. */
#include <stdlib.h>
#include <string.h>

#include "design/model/memory.h"
#include "encounter/bytes.h"
#include "encounter/composing.h"

/* Events of its connection that a value may need on its way. */
#define EVENTS_ON_THE_WAY UINT64_C(3)
#define JAMMED_US         1000000

/* Whether an input of the firmware, or a value of the stand-in, is there to be set. */
static bool can_be_set(const struct ys_subject *subject, const char *name)
{
    for (size_t i = 0; i < subject->input_count; i++) {
        if (strcmp(subject->inputs[i], name) == 0)
            return true;
    }
    for (size_t i = 0; i < subject->value_count && subject->firmware == NULL; i++) {
        if (ys_characteristic_is_called(subject->values[i]->service, subject->values[i]->characteristic, name))
            return true;
    }
    return false;
}

static bool may_cause(const struct composing *composing, const struct guest *guest,
                      const struct ys_behaviour *behaviour)
{
    if (behaviour->cause == YS_CAUSE_SET)
        return can_be_set(composing->subject, behaviour->cause_text.text);
    const struct ys_characteristic *one = behaviour->written;
    return behaviour->cause == YS_CAUSE_NONE ||
           (ys_offers(one, YS_WAY_WRITE) && compose_may(guest, one->ways[YS_WAY_WRITE].right) == ALLOWED);
}

static bool may_see(const struct composing *composing, const struct guest *guest, const struct ys_behaviour *behaviour)
{
    const struct ys_characteristic *one = behaviour->seen;
    bool by_notification = ys_offers(one, YS_WAY_NOTIFY);
    enum ys_way way = behaviour->effect == YS_EFFECT_READ ? YS_WAY_READ
                      : by_notification                   ? YS_WAY_NOTIFY
                                                          : YS_WAY_INDICATE;
    bool shared = (one->queues || one->streams) && way != YS_WAY_READ && composing->guest_count > 1;
    return !shared && compose_may(guest, one->ways[way].right) == ALLOWED;
}

/* What a link adds to the time that the application has. */
static uint64_t slack_us(const struct composing *composing, const struct guest *guest)
{
    const struct ys_device_link *link = &composing->subject->design->link;
    uint64_t central_us = (uint64_t)guest->traits->interval_us * (guest->traits->latency + 1u);
    uint64_t device_us = link->interval_max_us * (link->latency.number + 1);
    bool jammed = compose_chosen(composing, YS_ASPECT_TROUBLE) == YS_TROUBLE_CHANNELS;
    return EVENTS_ON_THE_WAY * (central_us > device_us ? central_us : device_us) + (jammed ? JAMMED_US : 0);
}

/* "write: preset, of: d, to: ..."; NULL if there is no value that surely may be written. The caller's. */
static char *say_cause(struct composing *composing, const struct ys_behaviour *behaviour)
{
    const struct ys_characteristic *one = behaviour->written;
    uint8_t bytes[YS_VALUE_LONGEST + 1];
    char hex[3 * sizeof bytes + 6];
    size_t length = 0;
    enum ys_worth worth;
    char *name;
    char *text = NULL;
    if (behaviour->cause == YS_CAUSE_SET) {
        name = ys_encounter_quoted(behaviour->cause_text.text);
        char *to = ys_encounter_quoted(behaviour->to.text);
        text = ys_new_text("{set: %s, who: d, to: %s}, ", name, to);
        free(to);
        free(name);
        return text;
    }
    name = compose_name(composing->subject, behaviour->written_of, one);
    if (behaviour->to.text != NULL) {
        char *to = ys_encounter_quoted(behaviour->to.text);
        text = ys_new_text("{write: %s, of: d, to: %s, response: true}, ", name, to);
        free(to);
    } else if (ys_encounter_bytes(one, YS_ACCESS_ANY, &composing->chance, bytes, &length, &worth) &&
               worth == YS_WORTH_GOOD) {
        compose_bytes(bytes, length, hex);
        text = ys_new_text("{write: %s, of: d, bytes: \"%s\", response: true}, ", name, hex);
    }
    free(name);
    return text;
}

/* ", is: ..." and the like. The caller's. */
static char *say_value(const struct ys_behaviour *behaviour)
{
    char *field = behaviour->field_text.text != NULL ? ys_encounter_quoted(behaviour->field_text.text) : NULL;
    char *one = NULL;
    char *other = NULL;
    char *text;
    if (behaviour->is.text != NULL && strcmp(behaviour->is.text, "written") == 0) {
        text = ys_new_text(", same as: written");
    } else if (behaviour->is.text != NULL) {
        one = ys_encounter_quoted(behaviour->is.text);
        text = ys_new_text(", %s%s%sis: %s", field != NULL ? "field: " : "", field != NULL ? field : "",
                           field != NULL ? ", " : "", one);
    } else if (behaviour->between_count == 2) {
        one = ys_encounter_quoted(behaviour->between[0].text);
        other = ys_encounter_quoted(behaviour->between[1].text);
        text = ys_new_text(", %s%s%sbetween: [%s, %s]", field != NULL ? "field: " : "", field != NULL ? field : "",
                           field != NULL ? ", " : "", one, other);
    } else {
        text = ys_new_text("%s", "");
    }
    free(field);
    free(one);
    free(other);
    return text;
}

static void add_behaviour(struct composing *composing, const struct guest *guest, size_t index)
{
    const struct ys_behaviour *behaviour = &composing->subject->design->behaviours[index];
    char *cause = behaviour->cause == YS_CAUSE_NONE ? ys_new_text("%s", "") : say_cause(composing, behaviour);
    if (cause == NULL)
        return;
    char *name = compose_name(composing->subject, behaviour->seen_of, behaviour->seen);
    char *value = say_value(behaviour);
    char *topic =
        ys_new_text("behaviour: %s%s%s %s", behaviour->cause_text.text != NULL ? behaviour->cause_text.text : "",
                    behaviour->cause_text.text != NULL ? ", then " : "",
                    behaviour->effect == YS_EFFECT_SILENCE ? "none of" : "this of", behaviour->seen->name);
    unsigned long long slack = slack_us(composing, guest);
    unsigned long long within = behaviour->within_us.number + slack;
    unsigned long long silent = behaviour->for_us.number;
    if (behaviour->effect == YS_EFFECT_READ)
        compose_add(composing, topic, "{who: %c, steps: [%s{read: %s, of: d%s}]}", guest->name, cause, name, value);
    else if (behaviour->effect == YS_EFFECT_SILENCE)
        compose_add(composing, topic,
                    "{who: %c, steps: [{subscribe: %s, of: d}, %s{wait: %llu us}, {expect none: %s, of: d, for: %llu "
                    "us}, {unsubscribe: %s, of: d}]}",
                    guest->name, name, cause, slack, name, silent, name);
    else
        compose_add(
            composing, topic,
            "{who: %c, steps: [{subscribe: %s, of: d}, %s{expect: %s, of: d%s, within: %llu us}, {unsubscribe: %s, "
            "of: d}]}",
            guest->name, name, cause, name, value, within, name);
    composing->encounter->behaved |= UINT64_C(1) << index;
    free(topic);
    free(value);
    free(name);
    free(cause);
}

void compose_behaviours(struct composing *composing, const struct guest *guest)
{
    const struct ys_design *design = composing->subject->design;
    for (size_t i = 0; i < design->behaviour_count && !composing->encounter->far; i++) {
        const struct ys_behaviour *behaviour = &design->behaviours[i];
        if (may_cause(composing, guest, behaviour) && may_see(composing, guest, behaviour))
            add_behaviour(composing, guest, i);
    }
}
