/* What an encounter is made of, gone through in the order of a day: they come, discover, pair, want something, are
 * disturbed, come again, want the same, and leave. What must come of each step follows from the definition. */
#include "encounter/compose.h"

#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <yarnswift/pairing.h>
#include <yarnswift/sets.h>

#include "design/making/security.h"
#include "design/model/memory.h"
#include "encounter/bytes.h"
#include "world/traits.h"

#define CHANCE UINT64_C(0xa00000000)

/* Of more than these a central does not want. */
#define SUBSCRIPTIONS_MOST 4

/* Reasons, in the words of scenes. */
#define FOR_SECURITY "0x05 or 0x0F or 0x08 or 0x0C"
#define FOR_LENGTH   "0x0D or 0x07 or 0x06 or 0x09 or 0x11"
#define BY_FIRMWARE  "an error of the application or 0x08 or 0xFC or 0xFE or 0x11"

#define LEVEL_NOT_KNOWN (-1)

#define FAR_AWAY ", at: [60 m, 0 m]"

/* Somebody while it is composed. */
struct guest {
    char name;
    const struct ys_traits *traits;
    uint8_t capability;
    int level; /* enum ys_level of its link, or LEVEL_NOT_KNOWN */
    int level_of_key;
    bool paired;
    bool paired_perhaps;
};

struct composing {
    const struct ys_subject *subject;
    struct ys_encounter *encounter;
    struct ys_chance chance;
    struct guest guests[4];
    size_t guest_count; /* that are connected */
};

static size_t chosen(const struct composing *composing, enum ys_aspect aspect)
{
    return composing->encounter->choice.values[aspect];
}

/* Adds a step. The topic is its first words. */
#if defined(__GNUC__)
__attribute__((format(printf, 3, 4)))
#endif
static void
add(struct composing *composing, const char *topic, const char *format, ...)
{
    struct ys_encounter *encounter = composing->encounter;
    va_list arguments;
    va_start(arguments, format);
    encounter->steps = ys_grow(encounter->steps, encounter->step_count, sizeof *encounter->steps);
    encounter->steps[encounter->step_count++] =
        (struct ys_encounter_step){.text = ys_new_text_of(format, arguments), .topic = ys_copy(topic, strlen(topic))};
    va_end(arguments);
}

/* A text in quotes, as YAML has it: whatever it is. The caller's. */
static char *quoted(const char *text)
{
    char *to = ys_new(2 * strlen(text) + 3);
    size_t length = 0;
    to[length++] = '"';
    for (; *text != '\0'; text++) {
        if (*text == '"' || *text == '\\')
            to[length++] = '\\';
        to[length++] = *text;
    }
    to[length++] = '"';
    to[length] = '\0';
    return to;
}

/* A characteristic as steps name it: by its service too, where its name alone is not enough. The caller's. */
static char *name_value(const struct ys_subject *subject, const struct ys_row *row)
{
    const char *name = row->characteristic->name;
    size_t count = 0;
    for (size_t i = 0; i < subject->value_count; i++)
        count += strcmp(subject->values[i]->characteristic->name, name) == 0;
    char *whole = count > 1 ? ys_new_text("%s/%s", row->service->name, name) : ys_new_text("%s", name);
    char *text = quoted(whole);
    free(whole);
    return text;
}

/* rights */

enum access { ALLOWED, NOT_ALLOWED, PERHAPS };

static enum access may(const struct guest *guest, enum ys_right right)
{
    if (right <= YS_RIGHT_OPEN)
        return ALLOWED;
    if (guest->level == LEVEL_NOT_KNOWN)
        return PERHAPS;
    return guest->level >= ys_level_for(right) ? ALLOWED : NOT_ALLOWED;
}

/* Whether what is read is what was written: nothing else changes it. */
static bool stays(const struct ys_subject *subject, const struct ys_characteristic *one)
{
    bool moves = subject->firmware == NULL && one->stand_in.shape > YS_SHAPE_CONSTANT;
    return ys_offers(one, YS_WAY_READ) && ys_offers(one, YS_WAY_WRITE) && !ys_is_notifiable(one) && !moves &&
           !one->ways[YS_WAY_WRITE].asks;
}

static void add_read(struct composing *composing, const struct guest *guest, const struct ys_row *row)
{
    const struct ys_characteristic *one = row->characteristic;
    const struct ys_offer *offer = &one->ways[YS_WAY_READ];
    char *name = name_value(composing->subject, row);
    char topic[400];
    (void)snprintf(topic, sizeof topic, "read %s", one->name);
    enum access access = may(guest, offer->right);
    const char *expected = !ys_offers(one, YS_WAY_READ)     ? ", fails: cannot be read"
                           : access == NOT_ALLOWED          ? ", fails: " FOR_SECURITY
                           : access == PERHAPS              ? ", may fail: " FOR_SECURITY
                           : offer->asks                    ? ", may fail: 0x08"
                           : stays(composing->subject, one) ? ", as: written"
                                                            : "";
    add(composing, topic, "{who: %c, read: %s, of: d%s}", guest->name, name, expected);
    free(name);
}

/* what is written */

static const char *write_outcome(const struct guest *guest, const struct ys_characteristic *one, enum ys_worth worth)
{
    const struct ys_offer *offer = &one->ways[YS_WAY_WRITE];
    enum access access = may(guest, offer->right);
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

static void say_bytes(const uint8_t *bytes, size_t length, char *text)
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
    if (!ys_encounter_bytes(one, way, &composing->chance, bytes, &length, &worth))
        return;
    char *name = name_value(composing->subject, row);
    ys_aspect_say(composing->subject, YS_ASPECT_WAY, way, word, sizeof word);
    (void)snprintf(topic, sizeof topic, "%s %s", word, one->name);
    say_bytes(bytes, length, hex);
    add(composing, topic, "{who: %c, write: %s, of: d, bytes: \"%s\", response: %s%s}", guest->name, name, hex,
        command ? "false" : "true", command ? "" : write_outcome(guest, one, worth));
    free(name);
    if (ys_offers(one, YS_WAY_READ))
        add_read(composing, guest, row);
}

static void add_subscription(struct composing *composing, const struct guest *guest, const struct ys_row *row, bool on)
{
    const struct ys_characteristic *one = row->characteristic;
    bool notifies = ys_offers(one, YS_WAY_NOTIFY);
    char topic[400];
    if (!ys_is_notifiable(one))
        return;
    enum access access = may(guest, one->ways[notifies ? YS_WAY_NOTIFY : YS_WAY_INDICATE].right);
    char *name = name_value(composing->subject, row);
    (void)snprintf(topic, sizeof topic, "%s %s", on ? "subscribe" : "unsubscribe", one->name);
    add(composing, topic, "{who: %c, %s: %s, of: d%s}", guest->name, on ? "subscribe" : "unsubscribe", name,
        access == NOT_ALLOWED         ? ", fails: " FOR_SECURITY
        : access == PERHAPS           ? ", may fail: " FOR_SECURITY " or 0x11"
        : one->queues || one->streams ? ", may fail: 0x11" /* its values are for as many as it has memory for */
                                      : "");
    free(name);
}

static void add_access(struct composing *composing, const struct guest *guest, const struct ys_row *row,
                       enum ys_access_way way)
{
    switch (way) {
    case YS_ACCESS_READ_TWICE:
        add_read(composing, guest, row);
        add_read(composing, guest, row);
        break;
    case YS_ACCESS_READ:
        add_read(composing, guest, row);
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

static const struct ys_row *chosen_value(const struct composing *composing)
{
    size_t value = chosen(composing, YS_ASPECT_VALUE);
    return value < composing->subject->value_count ? composing->subject->values[value] : NULL;
}

/* What the encounter is about, by this central. */
static void add_chosen(struct composing *composing, const struct guest *guest)
{
    const struct ys_row *row = chosen_value(composing);
    if (row != NULL)
        add_access(composing, guest, row, (enum ys_access_way)chosen(composing, YS_ASPECT_WAY));
}

/* Anything else, so that the chosen thing is not alone. */
static void add_any(struct composing *composing, const struct guest *guest)
{
    const struct ys_subject *subject = composing->subject;
    if (subject->value_count == 0)
        return;
    size_t value = ys_chance_below(&composing->chance, (uint32_t)subject->value_count);
    uint32_t way = ys_chance_below(&composing->chance, YS_ACCESS_WAYS);
    add_access(composing, guest, subject->values[value], (enum ys_access_way)way);
}

static void add_subscriptions(struct composing *composing, const struct guest *guest)
{
    const struct ys_subject *subject = composing->subject;
    size_t count = 0;
    for (size_t i = 0; i < subject->value_count && count < SUBSCRIPTIONS_MOST; i++) {
        count += ys_is_notifiable(subject->values[i]->characteristic);
        add_subscription(composing, guest, subject->values[i], true);
    }
}

/* coming and going */

static void add_connect(struct composing *composing, struct guest *guest)
{
    guest->level = YS_LEVEL_OPEN;
    add(composing, "connect", "{who: %c, connect: d, within: 60 s}", guest->name);
}

/* How long it may take: a drowsy central needs some seconds for each attribute. */
static size_t discovery_s(const struct composing *composing)
{
    return 120 + 6 * composing->subject->layout->count;
}

static void add_discover(struct composing *composing, const struct guest *guest)
{
    add(composing, "discover", "{who: %c, discover: d, within: %zu s%s}", guest->name, discovery_s(composing),
        guest->level == LEVEL_NOT_KNOWN ? ", may fail: " FOR_SECURITY : "");
}

static void add_disconnect(struct composing *composing, const struct guest *guest)
{
    add(composing, "disconnect", "{who: %c, disconnect: d}", guest->name);
}

static const struct ys_pairing_outcome *outcome_for(const struct composing *composing, const struct guest *guest)
{
    const struct ys_subject *subject = composing->subject;
    for (size_t i = 0; i < subject->outcome_count; i++) {
        const struct ys_pairing_outcome *one = &subject->outcomes[i];
        if (one->capability == guest->capability && one->secure == !guest->traits->legacy && !one->out_of_band)
            return one;
    }
    return NULL;
}

/* Pairs, as far as it can be known what comes of it. What has failed may have ended the connection: it comes again. */
static void add_pair(struct composing *composing, struct guest *guest, enum ys_pairing_way way)
{
    static const char *const people[YS_PAIR_WAYS] = {[YS_PAIR_WRONG] = ", passkey: wrong",
                                                     [YS_PAIR_NOTHING] = ", passkey: nothing",
                                                     [YS_PAIR_CANCELLED] = ", passkey: cancel"};
    const char *words = people[way] != NULL ? people[way] : "";
    const struct ys_pairing_outcome *outcome = outcome_for(composing, guest);
    bool asked = outcome != NULL && outcome->method != YS_METHOD_JUST_WORKS;
    bool disturbed = words[0] != '\0';
    if (!composing->subject->design->security.given) {
        add(composing, "pair", "{who: %c, pair: d, fails: not supported}", guest->name);
    } else if (outcome == NULL || (disturbed && !asked)) {
        add(composing, "pair", "{who: %c, pair: d%s, may fail: anything}", guest->name, words);
        guest->level = LEVEL_NOT_KNOWN;
        guest->paired_perhaps = true;
    } else if (outcome->refused != 0 || disturbed) {
        add(composing, "pair", "{who: %c, pair: d%s, fails: anything}", guest->name, words);
        add(composing, "disconnect", "{who: %c, disconnect: d, may fail: anything}", guest->name);
        add_connect(composing, guest);
        add_discover(composing, guest);
    } else {
        /* until both have each other's keys */
        add(composing, "pair", "{who: %c, steps: [{pair: d}, {wait: 8 s}]}", guest->name);
        guest->level = outcome->level;
        guest->level_of_key = outcome->level;
        guest->paired = true;
    }
}

/* Who has paired is encrypted first: it may subscribe again to what needs that. */
static void come_again(struct composing *composing, struct guest *guest)
{
    add_connect(composing, guest);
    struct ys_security security = {.bonds = 0};
    if (guest->paired)
        ys_security_of(composing->subject->design, &security);
    /* what is done at the device may be that it forgets */
    bool remembered = guest->paired && security.bonds > 0 && chosen(composing, YS_ASPECT_INPUT) == 0;
    if (guest->paired || guest->paired_perhaps) {
        add(composing, "pair again", "{who: %c, pair: d%s}", guest->name, remembered ? "" : ", may fail: anything");
        guest->level = remembered ? guest->level_of_key : LEVEL_NOT_KNOWN;
    }
    add_discover(composing, guest);
}

/* trouble */

static unsigned longest_supervision_s(const struct composing *composing)
{
    unsigned longest_ms = composing->subject->design->link.given ? 32000 : 0;
    for (size_t i = 0; i < composing->guest_count; i++) {
        unsigned ms = composing->guests[i].traits->supervision_timeout_ms;
        longest_ms = ms > longest_ms ? ms : longest_ms;
    }
    return longest_ms / 1000 + 3;
}

static void add_ends(struct composing *composing)
{
    for (size_t i = 0; i < composing->guest_count; i++)
        add(composing, "is lost", "{who: %c, expect disconnection: d, within: 60 s}", composing->guests[i].name);
    for (size_t i = 0; i < composing->guest_count; i++)
        come_again(composing, &composing->guests[i]);
}

static void add_trouble(struct composing *composing)
{
    switch ((enum ys_trouble)chosen(composing, YS_ASPECT_TROUBLE)) {
    case YS_TROUBLE_LOST:
        add(composing, "jam", "{jam: all, for: %u s}", longest_supervision_s(composing));
        add_ends(composing);
        break;
    case YS_TROUBLE_POWER:
        add(composing, "power", "{power: cycle, who: d}");
        add_ends(composing);
        break;
    default:
        break;
    }
}

static void add_input(struct composing *composing)
{
    size_t input = chosen(composing, YS_ASPECT_INPUT);
    if (input == 0)
        return;
    char *name = quoted(composing->subject->inputs[(input - 1) / 2]);
    add(composing, "set", "{set: %s, who: d, to: %zu}", name, (input - 1) % 2);
    free(name);
}

/* the encounter */

/* What it takes to hear the device at all. */
static const char *hearing(const struct ys_design *design)
{
    const struct ys_advertisement *set = design->sets;
    if (design->set_count == 0)
        return "";
    bool coded = set->extended && set->primary_phy == YS_SET_CODED + 1;
    return coded ? ", extended: true, coded: true" : set->extended ? ", extended: true" : "";
}

static void add_guest(struct composing *composing, size_t kind, uint8_t capability)
{
    static const char *const words[] = {"display", "display and yes/no", "keyboard", "none", "keyboard and display"};
    struct ys_encounter *encounter = composing->encounter;
    const struct ys_kind_of_central *central = &ys_kinds_of_central[kind];
    char name = (char)('a' + (char)encounter->central_count);
    composing->guests[encounter->central_count] =
        (struct guest){.name = name, .traits = &central->traits, .capability = capability};
    char *text = ys_new_text("{name: %c, kind: %s, capability: %s, when pairing fails: stays, patience: 600 s%s%s}",
                             name, central->name, words[capability], hearing(composing->subject->design),
                             encounter->far ? FAR_AWAY : "");
    encounter->centrals[encounter->central_count++] = (struct ys_encounter_central){.text = text, .name = name};
}

/* Somebody comes with the address of the first one, which has paired, and gets nothing that is protected. */
static void add_impostor(struct composing *composing)
{
    const struct ys_subject *subject = composing->subject;
    struct ys_encounter *encounter = composing->encounter;
    struct guest impostor = {.name = 'x', .traits = &ys_kinds_of_central[0].traits};
    add_disconnect(composing, &composing->guests[0]);
    add(composing, "power", "{power: off, who: a}");
    encounter->centrals[encounter->central_count++] = (struct ys_encounter_central){
        .text = ys_new_text("{name: x, kind: polite, pretends to be: a, when pairing fails: stays%s%s}",
                            hearing(subject->design), encounter->far ? FAR_AWAY : ""),
        .name = 'x'};
    add_connect(composing, &impostor);
    add_discover(composing, &impostor);
    for (size_t i = 0; i < subject->value_count; i++) {
        if (subject->values[i]->characteristic->ways[YS_WAY_READ].right > YS_RIGHT_OPEN)
            add_read(composing, &impostor, subject->values[i]);
    }
    add_disconnect(composing, &impostor);
    add(composing, "power", "{power: on, who: a}");
    come_again(composing, &composing->guests[0]);
}

static void add_pairing(struct composing *composing)
{
    struct guest *first = &composing->guests[0];
    enum ys_pairing_way way = (enum ys_pairing_way)chosen(composing, YS_ASPECT_PAIRING);
    if (chosen(composing, YS_ASPECT_MOMENT) == YS_MOMENT_BEFORE_PAIRING)
        add_chosen(composing, first);
    if (way == YS_PAIR_NOT)
        return;
    add_pair(composing, first, way);
    if (way == YS_PAIR_AGAIN && first->paired) {
        add_disconnect(composing, first);
        come_again(composing, first);
    } else if (way == YS_PAIR_IMPOSTOR && first->paired) {
        add_impostor(composing);
    }
}

static void add_arrivals(struct composing *composing)
{
    size_t moment = chosen(composing, YS_ASPECT_MOMENT);
    for (size_t i = 0; i < composing->guest_count; i++) {
        struct guest *guest = &composing->guests[i];
        const struct ys_row *row = chosen_value(composing);
        add_connect(composing, guest);
        if (i == 0 && moment == YS_MOMENT_BEFORE_DISCOVERY && row != NULL)
            add(composing, "read by handle", "{who: %c, read: 0x%04X, of: d, may fail: anything}", guest->name,
                (unsigned)(row - composing->subject->layout->rows + 1));
        if (i == 1 && moment == YS_MOMENT_WHILE_DISCOVERED && row != NULL)
            add(composing, "at once",
                "{at once: [{who: b, discover: d, within: %zu s}, {who: a, read: 0x%04X, of: d, may fail: anything}]}",
                discovery_s(composing), (unsigned)(row - composing->subject->layout->rows + 1));
        else
            add_discover(composing, guest);
    }
}

/* Two want the same at the same time. */
static void add_at_once(struct composing *composing)
{
    struct ys_encounter *encounter = composing->encounter;
    size_t from = encounter->step_count;
    add_chosen(composing, &composing->guests[0]);
    size_t middle = composing->encounter->step_count;
    add_chosen(composing, &composing->guests[1]);
    if (middle == from || composing->encounter->step_count == middle)
        return;
    /* the first of each, of which neither is compared with what was written: who was first is chance */
    char *one = encounter->steps[from].text;
    char *other = encounter->steps[middle].text;
    char *text = strstr(one, "as: written") == NULL ? ys_new_text("{at once: [%s, %s]}", one, other) : NULL;
    if (text == NULL)
        return;
    free(encounter->steps[from].text);
    encounter->steps[from].text = text;
    for (size_t i = from + 1; i < encounter->step_count; i++) {
        free(encounter->steps[i].text);
        free(encounter->steps[i].topic);
    }
    encounter->step_count = from + 1;
}

static void add_wishes(struct composing *composing)
{
    struct guest *first = &composing->guests[0];
    size_t moment = chosen(composing, YS_ASPECT_MOMENT);
    if (moment == YS_MOMENT_SUBSCRIBED)
        add_subscriptions(composing, first);
    add_input(composing);
    if (moment == YS_MOMENT_AGAIN) {
        add_disconnect(composing, first);
        come_again(composing, first);
    }
    if (moment == YS_MOMENT_AT_ONCE && composing->guest_count > 1)
        add_at_once(composing);
    add_chosen(composing, first);
    for (size_t i = 0; i < composing->guest_count; i++)
        add_any(composing, &composing->guests[i]);
    add_any(composing, first);
}

static void add_farewell(struct composing *composing)
{
    struct guest *first = &composing->guests[0];
    add_chosen(composing, first);
    for (size_t i = 0; i < composing->guest_count; i++)
        add_disconnect(composing, &composing->guests[i]);
    come_again(composing, first); /* it can be met again, and is as before */
    add_chosen(composing, first);
    add_any(composing, first);
    add_disconnect(composing, first);
}

static bool is_connectable(const struct ys_design *design)
{
    for (size_t i = 0; i < design->set_count; i++) {
        if (design->sets[i].kind <= YS_ADVERTISE_CONNECTABLE + 1 && !design->sets[i].anonymous)
            return true;
    }
    return false;
}

struct ys_encounter *ys_encounter_new(const struct ys_subject *subject, const struct ys_choice *choice, uint64_t seed)
{
    struct ys_encounter *encounter = ys_new(sizeof *encounter);
    struct composing composing = {
        .subject = subject, .encounter = encounter, .chance = ys_chance_of(seed, CHANCE + choice->number)};
    encounter->choice = *choice;
    encounter->far = choice->values[YS_ASPECT_TROUBLE] == YS_TROUBLE_FAR;
    const struct ys_kind_of_central *who = &ys_kinds_of_central[choice->values[YS_ASPECT_WHO]];
    bool pairs = subject->design->security.given;
    add_guest(&composing, choice->values[YS_ASPECT_WHO],
              pairs ? (uint8_t)choice->values[YS_ASPECT_CAPABILITY] : who->traits.capability);
    for (size_t i = 0; i < choice->values[YS_ASPECT_OTHERS]; i++)
        add_guest(&composing, i, ys_kinds_of_central[i].traits.capability);
    composing.guest_count = encounter->central_count;
    if (choice->values[YS_ASPECT_TROUBLE] == YS_TROUBLE_CHANNELS)
        add(&composing, "jam", "{jam: [3, 4, 5, 11, 12, 24]}");
    if (!is_connectable(subject->design)) {
        add_input(&composing);
        add(&composing, "find", "{who: a, find address: d, within: 60 s}");
        return encounter;
    }
    add_arrivals(&composing);
    add_pairing(&composing);
    add_wishes(&composing);
    add_trouble(&composing);
    add_farewell(&composing);
    return encounter;
}

void ys_encounter_free(struct ys_encounter *encounter)
{
    if (encounter == NULL)
        return;
    for (size_t i = 0; i < encounter->central_count; i++)
        free(encounter->centrals[i].text);
    for (size_t i = 0; i < encounter->step_count; i++) {
        free(encounter->steps[i].text);
        free(encounter->steps[i].topic);
    }
    free(encounter->steps);
    free(encounter);
}

/* Whether a step that is not left out names somebody. */
static bool is_there(const struct ys_encounter *encounter, char name)
{
    const char who[] = {'w', 'h', 'o', ':', ' ', name, '\0'};
    const char be[] = {'b', 'e', ':', ' ', name, '\0'};
    for (size_t i = 0; i < encounter->step_count; i++) {
        if (!encounter->steps[i].left_out && strstr(encounter->steps[i].text, who) != NULL)
            return true;
    }
    for (size_t i = 0; i < encounter->central_count; i++) {
        if (encounter->centrals[i].name != name && strstr(encounter->centrals[i].text, be) != NULL &&
            is_there(encounter, encounter->centrals[i].name))
            return true;
    }
    return false;
}

char *ys_encounter_scene(const struct ys_subject *subject, const struct ys_encounter *encounter, const char *comment,
                         int *lines)
{
    char *text = NULL;
    size_t size = 0;
    FILE *stream = open_memstream(&text, &size);
    int line = 1;
    if (stream == NULL)
        abort();
    for (const char *at = comment != NULL ? comment : ""; *at != '\0'; at++) {
        (void)fputc(*at, stream);
        line += *at == '\n';
    }
    (void)fprintf(stream, "scene: encounter %llu\naudit: true\n", (unsigned long long)encounter->choice.number);
    line += 2;
    if (encounter->far) {
        (void)fprintf(stream, "air: open\n");
        line++;
    }
    char *definition = quoted(subject->definition);
    char *firmware = subject->firmware != NULL ? quoted(subject->firmware) : NULL;
    (void)fprintf(stream, "devices:\n  - {name: d, definition: %s", definition);
    if (firmware != NULL)
        (void)fprintf(stream, ", firmware: %s", firmware);
    free(definition);
    free(firmware);
    (void)fprintf(stream, "}\ncentrals:\n");
    line += 3;
    for (size_t i = 0; i < encounter->central_count; i++) {
        if (!is_there(encounter, encounter->centrals[i].name))
            continue;
        (void)fprintf(stream, "  - %s\n", encounter->centrals[i].text);
        line++;
    }
    (void)fprintf(stream, "steps:\n");
    line++;
    for (size_t i = 0; i < encounter->step_count; i++) {
        if (lines != NULL)
            lines[i] = encounter->steps[i].left_out ? 0 : line;
        if (encounter->steps[i].left_out)
            continue;
        (void)fprintf(stream, "  - %s\n", encounter->steps[i].text);
        line++;
    }
    if (fclose(stream) != 0)
        abort();
    return text;
}
