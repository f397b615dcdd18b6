/* Checks of behaviour: it must name existing values, and ways that they offer. */
#include "design/checking/check_behaviour.h"

#include <stdlib.h>
#include <string.h>

#include "design/checking/check_type.h"
#include "design/model/value.h"
#include "design/model/words.h"

#define NAMES_MOST      128
#define BEHAVIOURS_MOST 64
#define WITHIN_USUAL_US 1000000
#define TIME_MOST_US    60000000

static void find(struct ys_design *design, const struct ys_written *name, const struct ys_service **service,
                 const struct ys_characteristic **found)
{
    const char *names[NAMES_MOST];
    size_t count = 0;
    for (size_t i = 0; i < design->service_count; i++) {
        const struct ys_service *one = &design->services[i];
        for (size_t j = 0; j < one->characteristic_count; j++) {
            if (*found == NULL && ys_characteristic_is_called(one, &one->characteristics[j], name->text)) {
                *service = one;
                *found = &one->characteristics[j];
            }
            if (count < NAMES_MOST)
                names[count++] = one->characteristics[j].name;
        }
    }
    if (*found != NULL)
        return;
    const char *nearest = ys_word_nearest(name->text, names, count);
    if (nearest != NULL)
        ys_findings_add(&design->findings, YS_ERROR, "behaviour", name->place,
                        "there is no characteristic \"%s\"; did you mean \"%s\"?", name->text, nearest);
    else
        ys_findings_add(&design->findings, YS_ERROR, "behaviour", name->place, "there is no characteristic \"%s\"",
                        name->text);
}

/* Whether a value is one of a field's. */
static bool is_value(struct ys_design *design, const struct ys_field *type, const struct ys_written *written,
                     const char *name, double *number)
{
    struct ys_field copy = *type;
    size_t length = 0;
    uint8_t *bytes = ys_check_value(design, &copy, written, name, &length);
    bool good = bytes != NULL && ys_value_number(type, bytes, length, number);
    free(bytes);
    return good;
}

static void check_cause(struct ys_design *design, struct ys_behaviour *behaviour)
{
    double number = 0;
    if (behaviour->cause == YS_CAUSE_SET && behaviour->to.text == NULL)
        ys_findings_add(&design->findings, YS_ERROR, "behaviour", behaviour->cause_text.place,
                        "the value is missing: add to:");
    if (behaviour->cause == YS_CAUSE_NONE && behaviour->to.text != NULL)
        ys_findings_add(&design->findings, YS_ERROR, "behaviour", behaviour->to.place, "to needs write: or set:");
    if (behaviour->cause != YS_CAUSE_WRITE) /* what is set may be an input, which only the firmware knows */
        return;
    find(design, &behaviour->cause_text, &behaviour->written_of, &behaviour->written);
    if (behaviour->written == NULL)
        return;
    if (!ys_is_writable(behaviour->written))
        ys_findings_add(&design->findings, YS_ERROR, "behaviour", behaviour->cause_text.place,
                        "\"%s\" cannot be written", behaviour->written->name);
    else if (behaviour->to.text != NULL)
        (void)is_value(design, &behaviour->written->type, &behaviour->to, behaviour->written->name, &number);
}

static const struct ys_field *check_field(struct ys_design *design, const struct ys_behaviour *behaviour)
{
    const struct ys_field *whole = &behaviour->seen->type;
    const char *names[YS_FIELDS_MOST];
    if (behaviour->field_text.text == NULL)
        return whole;
    for (size_t i = 0; i < whole->field_count; i++) {
        if (strcmp(whole->fields[i].name, behaviour->field_text.text) == 0 && whole->fields[i].most.number == 0)
            return &whole->fields[i];
        names[i] = whole->fields[i].name;
    }
    const char *nearest = ys_word_nearest(behaviour->field_text.text, names, whole->field_count);
    ys_findings_add(&design->findings, YS_ERROR, "behaviour", behaviour->field_text.place,
                    "\"%s\" has no field \"%s\" with one value%s%s%s", behaviour->seen->name,
                    behaviour->field_text.text, nearest != NULL ? "; did you mean \"" : "",
                    nearest != NULL ? nearest : "", nearest != NULL ? "\"?" : "");
    return NULL;
}

static void check_values(struct ys_design *design, const struct ys_behaviour *behaviour)
{
    const struct ys_field *field = check_field(design, behaviour);
    bool written = behaviour->is.text != NULL && strcmp(behaviour->is.text, "written") == 0;
    double ends[2] = {0, 0};
    if (field == NULL)
        return;
    if (written && behaviour->cause == YS_CAUSE_WRITE && behaviour->written == NULL)
        return; /* which has been said */
    if (written && (behaviour->effect != YS_EFFECT_READ || behaviour->written != behaviour->seen ||
                    behaviour->field_text.text != NULL))
        ys_findings_add(&design->findings, YS_ERROR, "behaviour", behaviour->is.place,
                        "written needs a read of the written value");
    else if (behaviour->is.text != NULL && !written)
        (void)is_value(design, field, &behaviour->is, behaviour->seen->name, &ends[0]);
    if (behaviour->between_count != 2 || behaviour->between[0].text == NULL || behaviour->between[1].text == NULL)
        return;
    size_t errors = design->findings.errors;
    bool numbers = is_value(design, field, &behaviour->between[0], behaviour->seen->name, &ends[0]) &&
                   is_value(design, field, &behaviour->between[1], behaviour->seen->name, &ends[1]);
    if (design->findings.errors == errors && (!numbers || ends[0] > ends[1]))
        ys_findings_add(&design->findings, YS_ERROR, "behaviour", behaviour->between[0].place,
                        numbers ? "the least comes first" : "only numbers lie between others");
}

static void check_times(struct ys_design *design, struct ys_behaviour *behaviour)
{
    if (behaviour->within_us.given && behaviour->effect != YS_EFFECT_TOLD)
        ys_findings_add(&design->findings, YS_ERROR, "behaviour", behaviour->within_us.place, "within needs expect:");
    if (behaviour->for_us.given != (behaviour->effect == YS_EFFECT_SILENCE))
        ys_findings_add(&design->findings, YS_ERROR, "behaviour", behaviour->place,
                        behaviour->for_us.given ? "for belongs to expect none" : "the duration is missing: add for:");
    if (!behaviour->within_us.given)
        behaviour->within_us.number = WITHIN_USUAL_US;
    const struct ys_counted *time = behaviour->for_us.given ? &behaviour->for_us : &behaviour->within_us;
    if (time->number == 0 || time->number > TIME_MOST_US)
        ys_findings_add(&design->findings, YS_ERROR, "behaviour", time->place,
                        "this time must be more than 0 and at most 60 s");
}

static void check_effect(struct ys_design *design, struct ys_behaviour *behaviour)
{
    bool reads = behaviour->effect == YS_EFFECT_READ;
    bool says = behaviour->is.text != NULL || behaviour->between_count > 0;
    find(design, &behaviour->effect_text, &behaviour->seen_of, &behaviour->seen);
    if (behaviour->seen == NULL)
        return;
    if (reads ? !ys_offers(behaviour->seen, YS_WAY_READ) : !ys_is_notifiable(behaviour->seen)) {
        ys_findings_add(&design->findings, YS_ERROR, "behaviour", behaviour->effect_text.place,
                        reads ? "\"%s\" cannot be read" : "\"%s\" neither notifies nor indicates",
                        behaviour->seen->name);
        return;
    }
    if (reads && !says)
        ys_findings_add(&design->findings, YS_ERROR, "behaviour", behaviour->place,
                        "the expected value is missing: add is: or between:");
    else if (behaviour->effect == YS_EFFECT_SILENCE && (says || behaviour->field_text.text != NULL))
        ys_findings_add(&design->findings, YS_ERROR, "behaviour", behaviour->place,
                        "expect none takes no value: remove it");
    else if (behaviour->is.text != NULL && behaviour->between_count > 0)
        ys_findings_add(&design->findings, YS_ERROR, "behaviour", behaviour->place, "use either is: or between:");
    else
        check_values(design, behaviour);
}

void ys_check_behaviours(struct ys_design *design)
{
    for (size_t i = 0; i < design->behaviour_count; i++) {
        struct ys_behaviour *behaviour = &design->behaviours[i];
        if (i == BEHAVIOURS_MOST)
            ys_findings_add(&design->findings, YS_ERROR, "limits", behaviour->place,
                            "behaviour has more than %d items: that is too much to try", BEHAVIOURS_MOST);
        if (behaviour->effect == YS_EFFECT_NONE) {
            ys_findings_add(&design->findings, YS_ERROR, "behaviour", behaviour->place,
                            "the expectation is missing: add read:, expect: or expect none:");
            continue;
        }
        if (behaviour->effect_text.text == NULL ||
            (behaviour->cause != YS_CAUSE_NONE && behaviour->cause_text.text == NULL))
            continue; /* which has been said */
        check_cause(design, behaviour);
        check_effect(design, behaviour);
        check_times(design, behaviour);
    }
}
