/* The aspects of encounters with a device. */
#include "encounter/aspects.h"

#include <stdio.h>
#include <stdlib.h>

#include <yarnswift/config.h>

#include "design/model/memory.h"
#include "world/traits.h"

#define VALUES_MOST       256
#define CAPABILITIES      5
#define CONNECTIONS_USUAL 3

static bool is_descriptor(const struct ys_row *row)
{
    return row->kind == YS_ATTRIBUTE_CONFIGURATION || row->kind == YS_ATTRIBUTE_DESCRIPTOR ||
           row->kind == YS_ATTRIBUTE_STORED;
}

static void know_values(struct ys_subject *subject, bool descriptors)
{
    for (size_t i = 0; i < subject->layout->count && subject->value_count < VALUES_MOST; i++) {
        const struct ys_row *row = &subject->layout->rows[i];
        if (row->characteristic != NULL && (descriptors ? is_descriptor(row) : row->kind == YS_ATTRIBUTE_VALUE))
            subject->values[subject->value_count++] = row;
    }
}

void ys_subject_know(struct ys_subject *subject)
{
    subject->values = ys_new((subject->layout->count + 1) * sizeof(struct ys_row *));
    subject->value_count = 0;
    know_values(subject, false);
    know_values(subject, true);
    subject->outcome_count = subject->design->security.given ? ys_outcomes_of(subject->design, subject->outcomes) : 0;
}

void ys_subject_forget(struct ys_subject *subject)
{
    free(subject->values);
    subject->values = NULL;
    subject->value_count = 0;
}

void ys_subject_say(const struct ys_subject *subject, size_t value, char *text, size_t size)
{
    const struct ys_row *row = subject->values[value];
    if (row->kind == YS_ATTRIBUTE_VALUE)
        (void)snprintf(text, size, "%s", row->characteristic->name);
    else if (row->type.length == 2)
        (void)snprintf(text, size, "%s: 0x%04X", row->characteristic->name, ys_uuid_number(&row->type));
    else
        (void)snprintf(text, size, "%s: descriptor 0x%04X", row->characteristic->name,
                       (unsigned)(row - subject->layout->rows + 1));
}

static size_t others(const struct ys_subject *subject)
{
    const struct ys_counted *limit = &subject->design->limits.connections;
    uint64_t connections = limit->given ? limit->number : CONNECTIONS_USUAL;
    return connections > 3 ? 2 : connections > 0 ? (size_t)connections - 1 : 0;
}

size_t ys_aspect_count(const struct ys_subject *subject, enum ys_aspect aspect)
{
    bool pairs = subject->design->security.given;
    switch (aspect) {
    case YS_ASPECT_WHO:
        return ys_kinds_of_central_count + 1;
    case YS_ASPECT_CAPABILITY:
        return pairs ? CAPABILITIES : 1;
    case YS_ASPECT_PAIRING:
        return pairs ? YS_PAIR_WAYS : 2;
    case YS_ASPECT_VALUE:
        return subject->value_count > 0 ? subject->value_count : 1;
    case YS_ASPECT_WAY:
        return YS_ACCESS_WAYS;
    case YS_ASPECT_MOMENT:
        return YS_MOMENTS;
    case YS_ASPECT_TROUBLE:
        return YS_TROUBLES;
    case YS_ASPECT_INPUT:
        return 1 + 2 * subject->input_count;
    case YS_ASPECT_OTHERS:
        return 1 + others(subject);
    default:
        return 1;
    }
}

const char *ys_aspect_name(enum ys_aspect aspect)
{
    static const char *const names[YS_ASPECTS] = {"who",    "capability", "pairing", "value", "way",
                                                  "moment", "trouble",    "input",   "others"};
    return names[aspect];
}

void ys_aspect_say(const struct ys_subject *subject, enum ys_aspect aspect, size_t value, char *text, size_t size)
{
    static const char *const pairings[] = {"not",       "right", "wrong",   "nothing is entered",
                                           "cancelled", "again", "impostor"};
    static const char *const ways[] = {"read",          "read twice",  "write least",  "write greatest",
                                       "write any",     "write below", "write beyond", "write empty",
                                       "write short",   "write long",  "write 512",    "command",
                                       "command short", "subscribe",   "twice",        "and off"};
    static const char *const moments[] = {"quiet",          "before discovery", "while discovered",
                                          "before pairing", "subscribed",       "parallel",
                                          "again",          "while pairing",    "often",
                                          "input changes",  "link goes",        "power goes"};
    static const char *const troubles[] = {"none",      "channels jammed", "link lost",
                                           "power cut", "far away",        "store fails"};
    const char *word = NULL;
    switch (aspect) {
    case YS_ASPECT_WHO:
        word = value < ys_kinds_of_central_count ? ys_kinds_of_central[value].name : "mixed";
        break;
    case YS_ASPECT_CAPABILITY:
        word = subject->outcome_count > 0 ? ys_capability_words((uint8_t)value) : "any";
        break;
    case YS_ASPECT_PAIRING:
        word = pairings[value];
        break;
    case YS_ASPECT_VALUE:
        if (value < subject->value_count)
            ys_subject_say(subject, value, text, size);
        else
            word = "none";
        break;
    case YS_ASPECT_WAY:
        word = ways[value];
        break;
    case YS_ASPECT_MOMENT:
        word = moments[value];
        break;
    case YS_ASPECT_TROUBLE:
        word = troubles[value];
        break;
    case YS_ASPECT_INPUT:
        if (value == 0)
            word = "none";
        else
            (void)snprintf(text, size, "%s %zu", subject->inputs[(value - 1) / 2], (value - 1) % 2);
        break;
    default:
        (void)snprintf(text, size, "%zu", value);
        break;
    }
    if (word != NULL)
        (void)snprintf(text, size, "%s", word);
}
