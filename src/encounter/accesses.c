/* The steps with which a central uses a value, and their results by its rights. */
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <yarnswift/config.h>

#include "design/making/security.h"
#include "design/model/memory.h"
#include "encounter/bytes.h"
#include "encounter/composing.h"

/* The length that fits into one packet with the smallest MTU: longer values cannot be written without response. */
#define COMMAND_SURELY 20

/* Of more than these a central does not want. */
#define SUBSCRIPTIONS_MOST 4

/* Reasons, in the words of scenes. */
#define FOR_LENGTH  "0x0D or 0x07 or 0x06 or 0x09 or 0x11"
#define BY_FIRMWARE "an error of the application or 0x08 or 0xFC or 0xFE or 0x11"

size_t compose_chosen(const struct composing *composing, enum ys_aspect aspect)
{
    return composing->encounter->choice.values[aspect];
}

void compose_add(struct composing *composing, const char *topic, const char *format, ...)
{
    struct ys_encounter *encounter = composing->encounter;
    va_list arguments;
    va_start(arguments, format);
    encounter->steps = ys_grow(encounter->steps, encounter->step_count, sizeof *encounter->steps);
    encounter->steps[encounter->step_count++] =
        (struct ys_encounter_step){.text = ys_new_text_of(format, arguments), .topic = ys_copy(topic, strlen(topic))};
    va_end(arguments);
}

char *compose_name(const struct ys_subject *subject, const struct ys_service *service,
                   const struct ys_characteristic *characteristic)
{
    const char *name = characteristic->name;
    size_t count = 0;
    for (size_t i = 0; i < subject->value_count; i++)
        count += subject->values[i]->kind == YS_ATTRIBUTE_VALUE &&
                 strcmp(subject->values[i]->characteristic->name, name) == 0;
    char *whole = count > 1 ? ys_new_text("%s/%s", service->name, name) : ys_new_text("%s", name);
    char *text = ys_encounter_quoted(whole);
    free(whole);
    return text;
}

/* rights */

enum access compose_may(const struct guest *guest, enum ys_right right)
{
    if (right <= YS_RIGHT_OPEN)
        return ALLOWED;
    if (guest->level == LEVEL_NOT_KNOWN)
        return PERHAPS;
    return guest->level >= ys_level_for(right) ? ALLOWED : NOT_ALLOWED;
}

/* Whether a read must return what was written: nothing else changes the value. */
static bool stays(const struct ys_subject *subject, const struct ys_characteristic *one)
{
    bool moves = subject->firmware == NULL && one->stand_in.shape > YS_SHAPE_CONSTANT;
    return ys_offers(one, YS_WAY_READ) && ys_offers(one, YS_WAY_WRITE) && !ys_is_notifiable(one) && !moves &&
           !one->ways[YS_WAY_WRITE].asks && !one->any_value;
}

/* Writes without a certain result. They only use offered ways. */
static const char *perhaps(bool offered)
{
    return offered ? ", may fail: anything" : ", fails: anything";
}

void compose_read(struct composing *composing, const struct guest *guest, const struct ys_row *row)
{
    const struct ys_characteristic *one = row->characteristic;
    const struct ys_offer *offer = &one->ways[YS_WAY_READ];
    char *name = compose_name(composing->subject, row->service, row->characteristic);
    char topic[400];
    (void)snprintf(topic, sizeof topic, "read %s", one->name);
    enum access access = compose_may(guest, offer->right);
    const char *expected = composing->unsure                ? perhaps(ys_offers(one, YS_WAY_READ))
                           : !ys_offers(one, YS_WAY_READ)   ? ", fails: cannot be read"
                           : access == NOT_ALLOWED          ? ", fails: " FOR_SECURITY
                           : access == PERHAPS              ? ", may fail: " FOR_SECURITY
                           : offer->asks                    ? ", may fail: 0x08"
                           : stays(composing->subject, one) ? ", same as: written"
                                                            : "";
    compose_add(composing, topic, "{who: %c, read: %s, of: d%s}", guest->name, name, expected);
    free(name);
}

/* what is written */

static const char *write_outcome(const struct guest *guest, const struct ys_characteristic *one, enum ys_worth worth)
{
    const struct ys_offer *offer = &one->ways[YS_WAY_WRITE];
    enum access access = compose_may(guest, offer->right);
    if (!ys_offers(one, YS_WAY_WRITE))
        return worth == YS_WORTH_LENGTH ? ", fails: cannot be written or " FOR_LENGTH : ", fails: cannot be written";
    if (access == NOT_ALLOWED)
        return worth == YS_WORTH_LENGTH ? ", fails: " FOR_SECURITY " or " FOR_LENGTH : ", fails: " FOR_SECURITY;
    if (worth == YS_WORTH_LENGTH)
        return ", fails: " FOR_LENGTH " or " FOR_SECURITY;
    if (access == PERHAPS || worth == YS_WORTH_OPEN)
        return ", may fail: anything";
    return worth == YS_WORTH_BEYOND ? ", fails: out of range" : ", may fail: " BY_FIRMWARE;
}

void compose_bytes(const uint8_t *bytes, size_t length, char *text)
{
    char *at = text;
    if (length == 0)
        at += sprintf(at, "none");
    for (size_t i = 0; i < length; i++)
        at += sprintf(at, "%s%02x", i > 0 ? " " : "", bytes[i]);
}

static void add_write(struct composing *composing, const struct guest *guest, const struct ys_row *row,
                      enum ys_access_way way)
{
    const struct ys_characteristic *one = row->characteristic;
    uint8_t bytes[YS_VALUE_LONGEST + 1];
    char hex[3 * sizeof bytes + 1];
    char topic[400];
    char word[60];
    size_t length = 0;
    enum ys_worth worth;
    bool command = way == YS_ACCESS_COMMAND || way == YS_ACCESS_COMMAND_SHORT;
    if (command && !ys_offers(one, YS_WAY_WRITE_COMMAND))
        return;
    if (!ys_encounter_bytes(one, way, &composing->chance, bytes, &length, &worth) ||
        (command && length > COMMAND_SURELY))
        return;
    char *name = compose_name(composing->subject, row->service, row->characteristic);
    ys_aspect_say(composing->subject, YS_ASPECT_WAY, way, word, sizeof word);
    (void)snprintf(topic, sizeof topic, "%s %s", word, one->name);
    compose_bytes(bytes, length, hex);
    compose_add(composing, topic, "{who: %c, write: %s, of: d, bytes: \"%s\", response: %s%s}", guest->name, name, hex,
                command ? "false" : "true",
                command             ? ""
                : composing->unsure ? perhaps(ys_offers(one, YS_WAY_WRITE))
                                    : write_outcome(guest, one, worth));
    free(name);
    if (ys_offers(one, YS_WAY_READ))
        compose_read(composing, guest, row);
}

static void add_subscription(struct composing *composing, const struct guest *guest, const struct ys_row *row, bool on)
{
    const struct ys_characteristic *one = row->characteristic;
    bool notifies = ys_offers(one, YS_WAY_NOTIFY);
    char topic[400];
    if (!ys_is_notifiable(one))
        return;
    enum access access = compose_may(guest, one->ways[notifies ? YS_WAY_NOTIFY : YS_WAY_INDICATE].right);
    char *name = compose_name(composing->subject, row->service, row->characteristic);
    (void)snprintf(topic, sizeof topic, "%s %s", on ? "subscribe" : "unsubscribe", one->name);
    compose_add(composing, topic, "{who: %c, %s: %s, of: d%s}", guest->name, on ? "subscribe" : "unsubscribe", name,
                composing->unsure             ? ", may fail: anything"
                : access == NOT_ALLOWED       ? ", fails: " FOR_SECURITY
                : access == PERHAPS           ? ", may fail: " FOR_SECURITY " or 0x11"
                : one->queues || one->streams ? ", may fail: 0x11" /* its values are for as many as it has memory for */
                                              : "");
    free(name);
}

/* descriptors, by their handles */

static bool is_stored(const struct composing *composing, const struct ys_row *row)
{
    return row->kind == YS_ATTRIBUTE_STORED && (row->rights & (YS_ASKS_TO_READ | YS_ASKS_TO_WRITE)) == 0 &&
           !composing->unsure;
}

static const char *descriptor_outcome(const struct composing *composing, const struct guest *guest,
                                      const struct ys_row *row, size_t length)
{
    enum ys_right right = (enum ys_right)YS_RIGHT_TO_WRITE(row->rights);
    if (composing->unsure)
        return ", may fail: anything";
    if (right == YS_RIGHT_NONE)
        return length > row->size ? ", fails: cannot be written or " FOR_LENGTH : ", fails: cannot be written";
    if (length > row->size)
        return ", fails: " FOR_LENGTH " or " FOR_SECURITY;
    return compose_may(guest, right) == NOT_ALLOWED ? ", fails: " FOR_SECURITY " or " FOR_LENGTH
                                                    : ", may fail: anything";
}

static void add_descriptor_read(struct composing *composing, const struct guest *guest, const struct ys_row *row,
                                const char *name)
{
    enum access access = compose_may(guest, (enum ys_right)YS_RIGHT_TO_READ(row->rights));
    char topic[400];
    (void)snprintf(topic, sizeof topic, "read %s", name);
    compose_add(composing, topic, "{who: %c, read: 0x%04X, of: d%s}", guest->name,
                (unsigned)(row - composing->subject->layout->rows + 1),
                composing->unsure                                           ? ", may fail: anything"
                : YS_RIGHT_TO_READ(row->rights) == YS_RIGHT_NONE            ? ", fails: cannot be read"
                : access == NOT_ALLOWED                                     ? ", fails: " FOR_SECURITY
                : access == PERHAPS || (row->rights & YS_ASKS_TO_READ) != 0 ? ", may fail: " FOR_SECURITY
                : is_stored(composing, row)                                 ? ", same as: written"
                                                                            : "");
}

static void add_descriptor(struct composing *composing, const struct guest *guest, const struct ys_row *row,
                           enum ys_access_way way)
{
    uint8_t bytes[YS_VALUE_LONGEST];
    char name[300] = "";
    size_t length = way == YS_ACCESS_EMPTY   ? 0
                    : way == YS_ACCESS_512   ? YS_VALUE_LONGEST
                    : way == YS_ACCESS_LONG  ? row->size + 1u
                    : way == YS_ACCESS_SHORT ? (row->size > 0 ? row->size - 1u : 0)
                                             : row->size;
    for (size_t i = 0; i < composing->subject->value_count; i++) {
        if (composing->subject->values[i] == row)
            ys_subject_say(composing->subject, i, name, sizeof name);
    }
    bool writes = way >= YS_ACCESS_LEAST && way <= YS_ACCESS_512;
    if (writes && length <= sizeof bytes) {
        char hex[3 * sizeof bytes + 6];
        char word[60];
        char topic[400];
        for (size_t i = 0; i < length; i++)
            bytes[i] = way == YS_ACCESS_LEAST      ? 0
                       : way == YS_ACCESS_GREATEST ? 0xff
                                                   : (uint8_t)('A' + ys_chance_below(&composing->chance, 26));
        compose_bytes(bytes, length, hex);
        ys_aspect_say(composing->subject, YS_ASPECT_WAY, way, word, sizeof word);
        (void)snprintf(topic, sizeof topic, "%s %s", word, name);
        compose_add(composing, topic, "{who: %c, write: 0x%04X, of: d, bytes: \"%s\", response: true%s}", guest->name,
                    (unsigned)(row - composing->subject->layout->rows + 1), hex,
                    descriptor_outcome(composing, guest, row, length));
    }
    add_descriptor_read(composing, guest, row, name);
    if (way == YS_ACCESS_READ_TWICE)
        add_descriptor_read(composing, guest, row, name);
}

static void add_access(struct composing *composing, const struct guest *guest, const struct ys_row *row,
                       enum ys_access_way way)
{
    if (row->kind != YS_ATTRIBUTE_VALUE) {
        add_descriptor(composing, guest, row, way);
        return;
    }
    switch (way) {
    case YS_ACCESS_READ_TWICE:
        compose_read(composing, guest, row);
        compose_read(composing, guest, row);
        break;
    case YS_ACCESS_READ:
        compose_read(composing, guest, row);
        break;
    case YS_ACCESS_SUBSCRIBE_TWICE:
        add_subscription(composing, guest, row, true);
        add_subscription(composing, guest, row, true);
        break;
    case YS_ACCESS_SUBSCRIBE_OFF:
        add_subscription(composing, guest, row, true);
        add_subscription(composing, guest, row, false);
        break;
    case YS_ACCESS_SUBSCRIBE:
        add_subscription(composing, guest, row, true);
        break;
    default:
        add_write(composing, guest, row, way);
        break;
    }
}

const struct ys_row *compose_wished(const struct composing *composing)
{
    size_t value = compose_chosen(composing, YS_ASPECT_VALUE);
    return value < composing->subject->value_count ? composing->subject->values[value] : NULL;
}

/* What the encounter is about, by this central. */
void compose_wish(struct composing *composing, const struct guest *guest)
{
    const struct ys_row *row = compose_wished(composing);
    if (row != NULL)
        add_access(composing, guest, row, (enum ys_access_way)compose_chosen(composing, YS_ASPECT_WAY));
}

/* Anything else, so that the chosen thing is not alone. */
void compose_any(struct composing *composing, const struct guest *guest)
{
    const struct ys_subject *subject = composing->subject;
    if (subject->value_count == 0)
        return;
    size_t value = ys_chance_below(&composing->chance, (uint32_t)subject->value_count);
    uint32_t way = ys_chance_below(&composing->chance, YS_ACCESS_WAYS);
    add_access(composing, guest, subject->values[value], (enum ys_access_way)way);
}

void compose_subscriptions(struct composing *composing, const struct guest *guest)
{
    const struct ys_subject *subject = composing->subject;
    size_t count = 0;
    for (size_t i = 0; i < subject->value_count && count < SUBSCRIPTIONS_MOST; i++) {
        if (subject->values[i]->kind != YS_ATTRIBUTE_VALUE)
            continue;
        count += ys_is_notifiable(subject->values[i]->characteristic);
        add_subscription(composing, guest, subject->values[i], true);
    }
}
