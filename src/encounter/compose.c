/* Composes an encounter in the order of a day: centrals come, discover, pair, use a value, are disturbed, come again,
 * use it again, and leave. The expected result of each step follows from the definition. */
#include "encounter/compose.h"

#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <yarnswift/pairing.h>
#include <yarnswift/sets.h>

#include "design/making/security.h"
#include "design/model/memory.h"
#include "encounter/composing.h"
#include "world/traits.h"

#define CHANCE UINT64_C(0xa00000000)

/* The time until a device asks for other parameters, if its definition does not say. */
#define PAUSE_USUAL_US 5000000
#define OFTEN          12

#define FAR_AWAY ", at: [60 m, 0 m]"

/* coming and going */

static void add_connect(struct composing *composing, struct guest *guest)
{
    guest->level = YS_LEVEL_OPEN;
    compose_add(composing, "connect", "{who: %c, connect: d, within: 60 s}", guest->name);
}

/* How long it may take: a drowsy central needs some seconds for each attribute. */
static size_t discovery_s(const struct composing *composing)
{
    return 120 + 6 * composing->subject->layout->count;
}

static void add_discover(struct composing *composing, const struct guest *guest)
{
    compose_add(composing, "discover", "{who: %c, discover: d, within: %zu s%s}", guest->name, discovery_s(composing),
                guest->level == LEVEL_NOT_KNOWN ? ", may fail: " FOR_SECURITY : "");
}

static void add_disconnect(struct composing *composing, const struct guest *guest)
{
    compose_add(composing, "disconnect", "{who: %c, disconnect: d}", guest->name);
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

/* Pairs, if the result can be predicted. A failed pairing may have ended the connection: the central connects again. */
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
        compose_add(composing, "pair", "{who: %c, pair: d, fails: not supported}", guest->name);
    } else if (outcome == NULL || (disturbed && !asked)) {
        compose_add(composing, "pair", "{who: %c, pair: d%s, may fail: anything}", guest->name, words);
        guest->level = LEVEL_NOT_KNOWN;
        guest->paired_perhaps = true;
    } else if (outcome->refused != 0 || disturbed) {
        compose_add(composing, "pair", "{who: %c, pair: d%s, fails: anything}", guest->name, words);
        compose_add(composing, "disconnect", "{who: %c, disconnect: d, may fail: anything}", guest->name);
        add_connect(composing, guest);
        add_discover(composing, guest);
    } else {
        /* until both have each other's keys */
        compose_add(composing, "pair", "{who: %c, steps: [{pair: d}, {wait: 8 s}]}", guest->name);
        guest->level = outcome->level;
        guest->level_of_key = outcome->level;
        guest->paired = true;
    }
}

/* An image has its own store, which no scene reaches. */
static bool store_fails(const struct composing *composing)
{
    const char *firmware = composing->subject->firmware;
    size_t length = firmware != NULL ? strlen(firmware) : 0;
    bool image = length > 4 && strcmp(firmware + length - 4, ".elf") == 0;
    return compose_chosen(composing, YS_ASPECT_TROUBLE) == YS_TROUBLE_STORE && !image;
}

/* A paired central encrypts first: it may then subscribe again to protected values. */
static void come_again(struct composing *composing, struct guest *guest)
{
    add_connect(composing, guest);
    struct ys_security security = {.bonds = 0};
    if (guest->paired)
        ys_security_of(composing->subject->design, &security);
    /* what is done at the device may be that it forgets */
    bool remembered = guest->paired && security.bonds > 0 && compose_chosen(composing, YS_ASPECT_INPUT) == 0 &&
                      !store_fails(composing);
    if (guest->paired || guest->paired_perhaps) {
        compose_add(composing, "pair again", "{who: %c, pair: d%s}", guest->name,
                    remembered ? "" : ", may fail: anything");
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
        compose_add(composing, "is lost", "{who: %c, expect disconnection: d, within: 60 s}",
                    composing->guests[i].name);
    for (size_t i = 0; i < composing->guest_count; i++)
        come_again(composing, &composing->guests[i]);
}

static void add_trouble(struct composing *composing)
{
    switch ((enum ys_trouble)compose_chosen(composing, YS_ASPECT_TROUBLE)) {
    case YS_TROUBLE_LOST:
        compose_add(composing, "jam", "{jam: all, for: %u s}", longest_supervision_s(composing));
        add_ends(composing);
        break;
    case YS_TROUBLE_POWER:
        compose_add(composing, "power", "{power: cycle, who: d}");
        add_ends(composing);
        break;
    default:
        break;
    }
}

static void add_input(struct composing *composing)
{
    size_t input = compose_chosen(composing, YS_ASPECT_INPUT);
    if (input == 0)
        return;
    char *name = ys_encounter_quoted(composing->subject->inputs[(input - 1) / 2]);
    compose_add(composing, "set", "{set: %s, who: d, to: %zu}", name, (input - 1) % 2);
    free(name);
}

/* the encounter */

/* What it takes to hear the device at all. */
static const char *hearing(const struct ys_design *design)
{
    const struct ys_advertisement *set = design->sets;
    if (design->set_count == 0)
        return "";
    bool coded = set->extended && set->primary_phy == YS_SAID_CODED;
    return coded ? ", extended: true, coded: true" : set->extended ? ", extended: true" : "";
}

/* Of no ready-made kind: each trait is one that chance has chosen. */
static struct ys_traits mix(struct ys_chance *chance)
{
    static const uint16_t mtus[] = {23, 24, 65, 185, 247};
    static const uint32_t intervals_us[] = {7500, 15000, 48750, 100000, 400000};
    struct ys_traits traits = ys_kinds_of_central[ys_chance_below(chance, (uint32_t)ys_kinds_of_central_count)].traits;
    traits.mtu = mtus[ys_chance_below(chance, sizeof mtus / sizeof mtus[0])];
    traits.asks_mtu = ys_chance_below(chance, 3) > 0;
    traits.interval_us = intervals_us[ys_chance_below(chance, sizeof intervals_us / sizeof intervals_us[0])];
    traits.latency = (uint16_t)(ys_chance_below(chance, 2) * ys_chance_below(chance, 5));
    traits.supervision_timeout_ms = (uint16_t)(6000 + 1000 * ys_chance_below(chance, 10));
    traits.remembering = (uint8_t)ys_chance_below(chance, 3);
    traits.subscribes_again = ys_chance_below(chance, 2) > 0;
    traits.refuses_updates = ys_chance_below(chance, 2) > 0;
    traits.legacy = ys_chance_below(chance, 3) == 0;
    return traits;
}

static char *say_mixture(const struct ys_traits *traits)
{
    static const char *const tables[] = {[YS_FORGETS] = "forgets", [YS_ASKS] = "asks", [YS_TRUSTS] = "trusts"};
    return ys_new_text(
        ", mtu: %u, asks for mtu: %s, interval: %lu us, latency: %u, supervision timeout: %u ms, table: %s, "
        "resubscribes: %s, refuses updates: %s, legacy pairing: %s",
        traits->mtu, traits->asks_mtu ? "true" : "false", (unsigned long)traits->interval_us, traits->latency,
        traits->supervision_timeout_ms, tables[traits->remembering], traits->subscribes_again ? "true" : "false",
        traits->refuses_updates ? "true" : "false", traits->legacy ? "true" : "false");
}

static void add_guest(struct composing *composing, size_t kind)
{
    static const char *const words[] = {"display", "display and yes/no", "keyboard", "none", "keyboard and display"};
    struct ys_encounter *encounter = composing->encounter;
    struct guest *guest = &composing->guests[encounter->central_count];
    bool mixed = kind >= ys_kinds_of_central_count;
    bool chosen = encounter->central_count == 0 && composing->subject->design->security.given;
    *guest = (struct guest){.name = (char)('a' + (char)encounter->central_count)};
    guest->mixture = mixed ? mix(&composing->chance) : ys_kinds_of_central[kind].traits;
    guest->traits = &guest->mixture;
    guest->capability = chosen ? (uint8_t)compose_chosen(composing, YS_ASPECT_CAPABILITY) : guest->traits->capability;
    char *mixture = mixed ? say_mixture(guest->traits) : ys_new_text("%s", "");
    char *text =
        ys_new_text("{name: %c, kind: %s%s, capability: %s, when pairing fails: stays, patience: 600 s%s%s}",
                    guest->name, mixed ? "polite" : ys_kinds_of_central[kind].name, mixture, words[guest->capability],
                    hearing(composing->subject->design), encounter->far ? FAR_AWAY : "");
    free(mixture);
    encounter->centrals[encounter->central_count++] = (struct ys_encounter_central){.text = text, .name = guest->name};
}

/* An impostor connects with the address of the first central, which has paired, and gets no protected value. */
static void add_impostor(struct composing *composing)
{
    const struct ys_subject *subject = composing->subject;
    struct ys_encounter *encounter = composing->encounter;
    struct guest impostor = {.name = 'x', .traits = &ys_kinds_of_central[0].traits};
    add_disconnect(composing, &composing->guests[0]);
    compose_add(composing, "power", "{power: off, who: a}");
    encounter->centrals[encounter->central_count++] = (struct ys_encounter_central){
        .text = ys_new_text("{name: x, kind: polite, impersonates: a, when pairing fails: stays%s%s}",
                            hearing(subject->design), encounter->far ? FAR_AWAY : ""),
        .name = 'x'};
    add_connect(composing, &impostor);
    add_discover(composing, &impostor);
    for (size_t i = 0; i < subject->value_count; i++) {
        if (subject->values[i]->kind == YS_ATTRIBUTE_VALUE &&
            subject->values[i]->characteristic->ways[YS_WAY_READ].right > YS_RIGHT_OPEN)
            compose_read(composing, &impostor, subject->values[i]);
    }
    add_disconnect(composing, &impostor);
    compose_add(composing, "power", "{power: on, who: a}");
    come_again(composing, &composing->guests[0]);
}

/* moments */

/* Forgets the steps from this one on. */
static void drop_steps(struct ys_encounter *encounter, size_t from)
{
    while (encounter->step_count > from) {
        struct ys_encounter_step *step = &encounter->steps[--encounter->step_count];
        free(step->text);
        free(step->topic);
    }
}

/* Combines the steps from `from` on with those from `middle` on, so that the first of each run in parallel. Their order
 * is random, so written values are unknown then. False, without a change, if there is nothing to combine. */
static bool merge(struct composing *composing, size_t from, size_t middle)
{
    struct ys_encounter *encounter = composing->encounter;
    if (middle == from || encounter->step_count == middle)
        return false;
    const char *one = encounter->steps[from].text;
    const char *other = encounter->steps[middle].text;
    if (strstr(one, "same as: written") != NULL || strstr(other, "same as: written") != NULL)
        return false;
    char *text = ys_new_text("{parallel: [%s, %s]}", one, other);
    free(encounter->steps[from].text);
    encounter->steps[from].text = text;
    drop_steps(encounter, from + 1);
    return true;
}

/* Two want the same at the same time. */
static void add_at_once(struct composing *composing)
{
    size_t from = composing->encounter->step_count;
    compose_wish(composing, &composing->guests[0]);
    size_t middle = composing->encounter->step_count;
    compose_wish(composing, &composing->guests[1]);
    (void)merge(composing, from, middle);
}

/* An event in the middle of a step, after some connection events; whether the step still succeeds is random. False if
 * there is no such step. */
static bool add_while(struct composing *composing, struct guest *guest, const char *happens)
{
    size_t from = composing->encounter->step_count;
    unsigned events_ms = 3 * (guest->traits->interval_us / 1000 + 1);
    composing->unsure = true;
    compose_wish(composing, guest);
    composing->unsure = false;
    size_t middle = composing->encounter->step_count;
    compose_add(composing, "meanwhile", "{steps: [{wait: %u ms}, %s]}",
                1 + (unsigned)ys_chance_below(&composing->chance, events_ms), happens);
    if (merge(composing, from, middle))
        return true;
    drop_steps(composing->encounter, from);
    return false;
}

static void add_while_lost(struct composing *composing)
{
    char happens[40];
    (void)snprintf(happens, sizeof happens, "{jam: all, for: %u s}", longest_supervision_s(composing));
    if (add_while(composing, &composing->guests[0], happens))
        add_ends(composing);
}

static void add_while_off(struct composing *composing)
{
    if (add_while(composing, &composing->guests[0], "{power: cycle, who: d}"))
        add_ends(composing);
}

/* Its input changes while it is asked. */
static void add_while_set(struct composing *composing)
{
    size_t from = composing->encounter->step_count;
    compose_wish(composing, &composing->guests[0]);
    size_t middle = composing->encounter->step_count;
    add_input(composing);
    (void)merge(composing, from, middle);
}

/* So often and for so long that its connection is given other parameters meanwhile. */
static void add_often(struct composing *composing)
{
    const struct ys_device_link *link = &composing->subject->design->link;
    uint64_t pause_us = link->pause_us.given ? link->pause_us.number : PAUSE_USUAL_US;
    struct ys_encounter *encounter = composing->encounter;
    size_t from = encounter->step_count;
    compose_wish(composing, &composing->guests[0]);
    if (encounter->step_count == from)
        return;
    struct ys_encounter_step *step = &encounter->steps[from];
    char *text = ys_new_text("{repeat: %d, steps: [%s, {wait: %llu ms}]}", OFTEN, step->text,
                             (unsigned long long)(link->given ? 1 + pause_us / (OFTEN - 4) / 1000 : 1));
    free(step->text);
    step->text = text;
}

/* While the first central pairs: either another central, whose rights are known, or itself, whose level may be the old
 * or the new one. */
static void add_while_pairing(struct composing *composing, size_t from)
{
    struct guest *other = &composing->guests[composing->guest_count > 1 ? 1 : 0];
    int level = other->level;
    size_t middle = composing->encounter->step_count;
    size_t rest = from + 1;
    if (middle != rest) /* of several steps, the first is the pairing */
        return;
    other->level = composing->guest_count > 1 ? level : LEVEL_NOT_KNOWN;
    compose_wish(composing, other);
    other->level = level;
    if (!merge(composing, from, middle))
        drop_steps(composing->encounter, middle);
}

/* the encounter */

static void add_pairing(struct composing *composing)
{
    struct guest *first = &composing->guests[0];
    enum ys_pairing_way way = (enum ys_pairing_way)compose_chosen(composing, YS_ASPECT_PAIRING);
    if (compose_chosen(composing, YS_ASPECT_MOMENT) == YS_MOMENT_BEFORE_PAIRING)
        compose_wish(composing, first);
    if (way == YS_PAIR_NOT)
        return;
    size_t from = composing->encounter->step_count;
    add_pair(composing, first, way);
    if (compose_chosen(composing, YS_ASPECT_MOMENT) == YS_MOMENT_WHILE_PAIRING)
        add_while_pairing(composing, from);
    if (way == YS_PAIR_AGAIN && first->paired) {
        add_disconnect(composing, first);
        come_again(composing, first);
    } else if (way == YS_PAIR_IMPOSTOR && first->paired) {
        add_impostor(composing);
    }
}

static void add_arrivals(struct composing *composing)
{
    size_t moment = compose_chosen(composing, YS_ASPECT_MOMENT);
    for (size_t i = 0; i < composing->guest_count; i++) {
        struct guest *guest = &composing->guests[i];
        const struct ys_row *row = compose_wished(composing);
        add_connect(composing, guest);
        if (i == 0 && moment == YS_MOMENT_BEFORE_DISCOVERY && row != NULL)
            compose_add(composing, "read by handle", "{who: %c, read: 0x%04X, of: d, may fail: anything}", guest->name,
                        (unsigned)(row - composing->subject->layout->rows + 1));
        if (i == 1 && moment == YS_MOMENT_WHILE_DISCOVERED && row != NULL)
            compose_add(
                composing, "parallel",
                "{parallel: [{who: b, discover: d, within: %zu s}, {who: a, read: 0x%04X, of: d, may fail: anything}]}",
                discovery_s(composing), (unsigned)(row - composing->subject->layout->rows + 1));
        else
            add_discover(composing, guest);
    }
}

static void add_wishes(struct composing *composing)
{
    struct guest *first = &composing->guests[0];
    size_t moment = compose_chosen(composing, YS_ASPECT_MOMENT);
    if (moment == YS_MOMENT_SUBSCRIBED)
        compose_subscriptions(composing, first);
    add_input(composing);
    if (moment == YS_MOMENT_AGAIN) {
        add_disconnect(composing, first);
        come_again(composing, first);
    }
    compose_behaviours(composing, first);
    if (moment == YS_MOMENT_AT_ONCE && composing->guest_count > 1)
        add_at_once(composing);
    if (moment == YS_MOMENT_OFTEN)
        add_often(composing);
    if (moment == YS_MOMENT_AS_SET)
        add_while_set(composing);
    if (moment == YS_MOMENT_AS_LOST)
        add_while_lost(composing);
    if (moment == YS_MOMENT_AS_POWER)
        add_while_off(composing);
    compose_wish(composing, first);
    for (size_t i = 0; i < composing->guest_count; i++)
        compose_any(composing, &composing->guests[i]);
    compose_any(composing, first);
}

static void add_farewell(struct composing *composing)
{
    struct guest *first = &composing->guests[0];
    compose_wish(composing, first);
    for (size_t i = 0; i < composing->guest_count; i++)
        add_disconnect(composing, &composing->guests[i]);
    come_again(composing, first); /* it can be met again, and is as before */
    compose_wish(composing, first);
    compose_any(composing, first);
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
    add_guest(&composing, choice->values[YS_ASPECT_WHO]);
    for (size_t i = 0; i < choice->values[YS_ASPECT_OTHERS]; i++)
        add_guest(&composing, i);
    composing.guest_count = encounter->central_count;
    if (choice->values[YS_ASPECT_TROUBLE] == YS_TROUBLE_CHANNELS)
        compose_add(&composing, "jam", "{jam: [3, 4, 5, 11, 12, 24]}");
    if (!is_connectable(subject->design)) {
        add_input(&composing);
        compose_add(&composing, "find", "{who: a, find address: d, within: 60 s}");
        return encounter;
    }
    add_arrivals(&composing);
    if (store_fails(&composing))
        compose_add(&composing, "store", "{store: fails, who: d}");
    add_pairing(&composing);
    add_wishes(&composing);
    add_trouble(&composing);
    if (store_fails(&composing))
        compose_add(&composing, "store", "{store: works, who: d}");
    add_farewell(&composing);
    return encounter;
}
