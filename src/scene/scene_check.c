/* Checks of a scene as a whole: its actors, and the keys of their steps. */
#include "scene/scene_check.h"
#include "emulated/target.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "design/model/memory.h"

#include "design/reading/files.h"
#include "scene/checking.h"
#include "scene/scene_air.h"
#include "scene/scene_check_values.h"
#include "scene/verbs.h"
#include "world/people.h"

#define COUNT(array) (sizeof(array) / sizeof((array)[0]))

/* actors */

static void check_design(struct checking *checking, struct ys_actor *actor)
{
    char *path = ys_path_beside(checking->scene->file, actor->definition.text);
    actor->design = checking->files->design(checking->files->context, path);
    if (actor->design == NULL) {
        scene_error(checking, "definition", actor->definition.place,
                    "\"%s\" cannot be read: a path is meant from the folder of the scene", path);
    } else if (actor->design->findings.errors > 0) {
        const struct ys_finding *finding = actor->design->findings.items;
        while (finding->severity != YS_ERROR)
            finding++;
        scene_error(checking, "definition", actor->definition.place,
                    "\"%s\" has %zu error%s, the first in line %d: %s; yarnswift check shows all", path,
                    actor->design->findings.errors, actor->design->findings.errors == 1 ? "" : "s", finding->place.line,
                    finding->text);
        ys_design_free(actor->design);
        actor->design = NULL;
    }
    free(path);
}

static void check_module(struct checking *checking, struct ys_actor *actor)
{
    char looked[600] = "";
    const struct ys_scene_files *files = checking->files;
    const char *other =
        files->firmware != NULL && actor->name.text != NULL ? files->firmware(files->context, actor->name.text) : NULL;
    actor->plugged =
        files->plugged != NULL && actor->name.text != NULL && files->plugged(files->context, actor->name.text);
    if (actor->plugged) {
        actor->module = ys_copy("", 0); /* whoever has firmware has one */
        return;
    }
    if (other != NULL)
        actor->firmware = (struct ys_written){.text = other, .place = actor->place};
    const char *name = actor->firmware.text;
    if (name == NULL)
        return;
    if (strncmp(name, YS_TARGET_LINES, strlen(YS_TARGET_LINES)) == 0) { /* it is there already, at two lines */
        actor->is_image = true;
        actor->module = ys_copy(name, strlen(name));
        return;
    }
    size_t length = strlen(name);
    actor->is_image = length > 4 && strcmp(name + length - 4, ".elf") == 0;
    actor->module = files->module(files->context, checking->scene->file, name, looked, sizeof looked);
    if (actor->module == NULL)
        scene_error(checking, "firmware", actor->firmware.place,
                    "there is no %s \"%s\": build it (%s in CMake); it was looked for as %s",
                    actor->is_image ? "image" : "module", name,
                    actor->is_image ? "yarnswift_image" : "yarnswift_module", looked);
}

/* A trait that the scene gives overrules that of the kind. */
static void set_yes(bool *trait, int said)
{
    if (said != 0)
        *trait = said == 1;
}

static void check_traits(struct checking *checking, struct ys_actor *actor)
{
    struct ys_traits *traits = &actor->traits;
    *traits = ys_kinds_of_central[actor->kind > 0 ? actor->kind - 1 : 0].traits;
    if (actor->mtu.given)
        traits->mtu = (uint16_t)actor->mtu.number;
    if (actor->latency.given)
        traits->latency = (uint16_t)actor->latency.number;
    if (actor->remembering > 0)
        traits->remembering = (uint8_t)(actor->remembering - 1);
    if (actor->temper > 0)
        traits->temper = (uint8_t)(actor->temper - 1);
    if (actor->capability > 0)
        traits->capability = (uint8_t)(actor->capability - 1);
    set_yes(&traits->legacy, actor->legacy);
    set_yes(&traits->refuses_updates, actor->refuses_updates);
    actor->pretends = YS_NOBODY;
    if (actor->pretends_text.text != NULL)
        actor->pretends = scene_find_actor(checking, &actor->pretends_text, checking->scene->device_count,
                                           checking->scene->actor_count, "central");
    set_yes(&traits->asks_mtu, actor->asks_mtu);
    set_yes(&traits->extended, actor->extended);
    set_yes(&traits->coded, actor->coded);
    set_yes(&traits->subscribes_again, actor->subscribes_again);
    set_yes(&traits->knows, actor->knows);
    uint64_t interval_us = actor->interval_us.given ? actor->interval_us.number : traits->interval_us;
    uint64_t timeout_us = actor->supervision_timeout_us.given ? actor->supervision_timeout_us.number
                                                              : traits->supervision_timeout_ms * UINT64_C(1000);
    uint64_t patience_us = actor->patience_us.given ? actor->patience_us.number : traits->patience_us;
    if (interval_us < 7500 || interval_us > 4000000 || interval_us % 1250 != 0)
        scene_error(checking, "trait", actor->place,
                    "the interval of connections is from 7.5 ms to 4 s, in steps of 1.25 ms: take a multiple");
    if (timeout_us < 100000 || timeout_us > 32000000 || timeout_us <= (1u + traits->latency) * interval_us * 2)
        scene_error(
            checking, "trait", actor->place,
            "the supervision timeout is from 100 ms to 32 s, and longer than (1 + latency) x interval x 2, which is "
            "%g ms",
            (double)((1u + traits->latency) * interval_us * 2) / 1000);
    if (patience_us < 1000 || patience_us > 86400000000)
        scene_error(checking, "trait", actor->place, "a patience is from 1 ms to 24 h");
    if (traits->coded && !traits->extended)
        scene_error(checking, "trait", actor->place,
                    "coded advertising is extended: a central that hears it has extended: true");
    traits->interval_us = (uint32_t)interval_us;
    traits->supervision_timeout_ms = (uint16_t)(timeout_us / 1000);
    traits->patience_us = patience_us < UINT32_MAX ? (uint32_t)patience_us : UINT32_MAX;
}

static void check_hardware(struct checking *checking, struct ys_actor *actor)
{
    struct ys_hardware *hardware = &actor->hardware;
    *hardware = actor->is_device ? ys_hardware_of_device : ys_hardware_of_central;
    if (actor->character > 0)
        hardware->character = &ys_characters[actor->character - 1];
    hardware->line_bps = (uint32_t)actor->line_bps;
    set_yes(&hardware->adapts, actor->adapts);
    hardware->extended = (uint8_t)actor->extended;
    hardware->coded = (uint8_t)actor->coded;
    if (!actor->thinks_us.given)
        return;
    hardware->thinks_us = (uint32_t)actor->thinks_us.number;
    if (actor->thinks_us.number > 10000000)
        scene_error(checking, "trait", actor->place, "host delay must be at most 10 s");
}

static void check_actor(struct checking *checking, size_t i)
{
    const struct ys_scene *scene = checking->scene;
    struct ys_actor *actor = &scene->actors[i];
    if (scene_actor_named(scene, actor->name.text, 0, i) != YS_NOBODY)
        scene_error(checking, "name-twice", actor->name.place, "\"%s\" is there twice: give each its own name",
                    actor->name.text);
    check_hardware(checking, actor);
    if (actor->is_device) {
        check_design(checking, actor);
        check_module(checking, actor);
        if (actor->design != NULL && actor->design->set_count == 0 && !actor->design->scanning.given)
            scene_error(checking, "definition", actor->definition.place,
                        "a device that does not advertise cannot be tested: add advertising: to \"%s\"",
                        actor->definition.text);
        else if (actor->design != NULL && actor->design->set_count == 0 && actor->firmware.text == NULL)
            scene_error(checking, "definition", actor->definition.place,
                        "a device that only looks for others does nothing without its firmware: add firmware:");
        actor->traits = ys_kinds_of_central[0].traits;
    } else {
        check_traits(checking, actor);
    }
    if (actor->body_db > 0 && scene->air_said <= YS_AIR_PERFECT)
        scene_error(checking, "air", actor->place,
                    "perfect air has no body loss: use air: outdoors, or air: hall, or remove body loss:");
    if (actor->at.given && scene->air_said <= YS_AIR_PERFECT)
        scene_error(checking, "air", actor->place,
                    "perfect air has no positions: use air: outdoors, or air: hall, or remove at:");
}

/* verbs and what goes with them */

enum given {
    GIVEN_OF = 1 << 0,
    GIVEN_WITHIN = 1 << 1,
    GIVEN_FOR = 1 << 2,
    GIVEN_IS = 1 << 3,
    GIVEN_BETWEEN = 1 << 4,
    GIVEN_ORDER = 1 << 5,
    GIVEN_RATE = 1 << 6,
    GIVEN_FIELD = 1 << 7,
    GIVEN_TO = 1 << 8,
    GIVEN_BYTES = 1 << 9,
    GIVEN_RESPONSE = 1 << 10,
    GIVEN_BY = 1 << 11,
    GIVEN_FAILS = 1 << 12,
    GIVEN_BECAUSE = 1 << 13,
    GIVEN_STEPS = 1 << 14,
    GIVEN_PASSKEY = 1 << 15,
    GIVEN_MAY_FAIL = 1 << 16,
    GIVEN_AS = 1 << 17
};

static const char *const given_words[] = {"of",    "within",  "for",   "is",      "between",  "in order",
                                          "rate",  "field",   "to",    "bytes",   "response", "by",
                                          "fails", "because", "steps", "passkey", "may fail", "as"};

/* Who can do a step: a central or a simulated device; any device; or no actor. */
enum doer { BY_CENTRAL, BY_DEVICE, BY_ANY, BY_NONE };

static const struct {
    enum doer doer;
    unsigned may;
    unsigned must;
} verbs[YS_VERBS] = {
    [YS_VERB_FIND] = {BY_CENTRAL, GIVEN_WITHIN | GIVEN_FAILS | GIVEN_MAY_FAIL, 0},
    [YS_VERB_FIND_SERVICE] = {BY_CENTRAL, GIVEN_WITHIN | GIVEN_FAILS | GIVEN_MAY_FAIL, 0},
    [YS_VERB_FIND_ADDRESS] = {BY_CENTRAL, GIVEN_WITHIN | GIVEN_FAILS | GIVEN_MAY_FAIL, 0},
    [YS_VERB_CONNECT] = {BY_CENTRAL, GIVEN_WITHIN | GIVEN_FAILS | GIVEN_MAY_FAIL, 0},
    [YS_VERB_DISCONNECT] = {BY_CENTRAL, GIVEN_WITHIN | GIVEN_FAILS | GIVEN_MAY_FAIL, 0},
    [YS_VERB_DISCOVER] = {BY_CENTRAL, GIVEN_WITHIN | GIVEN_FAILS | GIVEN_MAY_FAIL, 0},
    [YS_VERB_READ] = {BY_CENTRAL,
                      GIVEN_WITHIN | GIVEN_OF | GIVEN_IS | GIVEN_AS | GIVEN_BETWEEN | GIVEN_FIELD | GIVEN_FAILS |
                          GIVEN_MAY_FAIL,
                      0},
    [YS_VERB_WRITE] = {BY_CENTRAL,
                       GIVEN_WITHIN | GIVEN_OF | GIVEN_TO | GIVEN_BYTES | GIVEN_RESPONSE | GIVEN_FAILS | GIVEN_MAY_FAIL,
                       0},
    [YS_VERB_SUBSCRIBE] = {BY_CENTRAL, GIVEN_WITHIN | GIVEN_OF | GIVEN_BY | GIVEN_FAILS | GIVEN_MAY_FAIL, 0},
    [YS_VERB_UNSUBSCRIBE] = {BY_CENTRAL, GIVEN_WITHIN | GIVEN_OF | GIVEN_FAILS | GIVEN_MAY_FAIL, 0},
    [YS_VERB_PAIR] = {BY_CENTRAL, GIVEN_WITHIN | GIVEN_FAILS | GIVEN_MAY_FAIL | GIVEN_PASSKEY, 0},
    [YS_VERB_FORGET] = {BY_ANY, 0, 0},
    [YS_VERB_TOUCH] = {BY_CENTRAL, 0, 0},
    [YS_VERB_NONSENSE] = {BY_CENTRAL, GIVEN_FOR, GIVEN_FOR},
    [YS_VERB_ADVERTISE] = {BY_CENTRAL, 0, 0},
    [YS_VERB_EXPECT] = {BY_CENTRAL,
                        GIVEN_OF | GIVEN_WITHIN | GIVEN_FOR | GIVEN_IS | GIVEN_BETWEEN | GIVEN_ORDER | GIVEN_RATE |
                            GIVEN_FIELD,
                        0},
    [YS_VERB_EXPECT_NONE] = {BY_CENTRAL, GIVEN_OF | GIVEN_FOR, GIVEN_FOR},
    [YS_VERB_EXPECT_LOG] = {BY_DEVICE, GIVEN_WITHIN, 0},
    [YS_VERB_EXPECT_NO_LOG] = {BY_DEVICE, GIVEN_FOR, GIVEN_FOR},
    [YS_VERB_EXPECT_DISCONNECTION] = {BY_CENTRAL, GIVEN_WITHIN | GIVEN_BECAUSE, 0},
    [YS_VERB_SET] = {BY_DEVICE, GIVEN_TO | GIVEN_BYTES, 0},
    [YS_VERB_POWER] = {BY_ANY, GIVEN_FOR, 0},
    [YS_VERB_STORE] = {BY_ANY, 0, 0},
    [YS_VERB_WALK] = {BY_ANY, GIVEN_FOR, 0},
    [YS_VERB_JAM] = {BY_NONE, GIVEN_FOR, 0},
    [YS_VERB_WAIT] = {BY_NONE, 0, 0},
    [YS_VERB_AT_ONCE] = {BY_NONE, 0, 0},
    [YS_VERB_REPEAT] = {BY_NONE, GIVEN_STEPS, GIVEN_STEPS},
    [YS_VERB_STEPS] = {BY_NONE, GIVEN_STEPS, GIVEN_STEPS},
    [YS_VERB_END] = {BY_NONE, 0, 0},
};

static unsigned given(const struct ys_step *step)
{
    const bool said[] = {
        step->of_text.text != NULL,
        step->within_us.given,
        step->for_us.given,
        step->is_text.text != NULL,
        step->between_count > 0,
        step->order_count > 0,
        step->rate_count > 0,
        step->field_text.text != NULL,
        step->to_text.text != NULL,
        step->bytes_text.text != NULL,
        step->response > 0,
        step->by_text.text != NULL,
        step->fails.text != NULL,
        step->because.text != NULL,
        step->has_steps,
        step->passkey_text.text != NULL,
        step->may_fail.text != NULL,
        step->as > 0,
    };
    unsigned bits = 0;
    for (size_t i = 0; i < COUNT(said); i++)
        bits |= said[i] ? 1u << i : 0;
    return bits;
}

static bool check_keys(struct checking *checking, const struct ys_step *step)
{
    unsigned bits = given(step);
    size_t errors = checking->scene->findings.errors;
    for (size_t i = 0; i < COUNT(given_words); i++) {
        if ((bits & ~verbs[step->verb].may & 1u << i) != 0)
            scene_error(checking, "key", step->place, "\"%s\" does not take \"%s\": remove it", given_words[i],
                        ys_verb_word(step->verb));
        bool left_out = step->meanwhile && 1u << i == GIVEN_FOR;
        if ((verbs[step->verb].must & ~bits & 1u << i) != 0 && !left_out)
            scene_error(checking, "key", step->place, "\"%s\" needs \"%s\"", ys_verb_word(step->verb), given_words[i]);
    }
    unsigned values = bits & (GIVEN_IS | GIVEN_AS | GIVEN_BETWEEN | GIVEN_ORDER | GIVEN_RATE);
    if ((values & (values - 1)) != 0)
        scene_error(checking, "key", step->place, "a step expects one thing: one of is, as, between, in order, rate");
    if ((bits & GIVEN_FAILS) != 0 && (bits & GIVEN_MAY_FAIL) != 0)
        scene_error(checking, "key", step->place, "fails includes may fail: remove \"may fail\"");
    if ((bits & GIVEN_RATE) != 0 && (bits & GIVEN_FOR) == 0)
        scene_error(checking, "key", step->place, "a rate is counted for some time: add for: 2 s");
    if ((bits & GIVEN_FOR) != 0 && (bits & (GIVEN_IS | GIVEN_ORDER | GIVEN_WITHIN)) != 0)
        scene_error(checking, "key", step->place,
                    "\"for\" goes with between and rate: all that comes meanwhile is looked at; say "
                    "within for one that must come");
    if (step->verb == YS_VERB_POWER && step->word != YS_POWER_CYCLE && (bits & GIVEN_FOR) != 0)
        scene_error(checking, "key", step->place, "\"for\" goes with power: cycle, which switches on again");
    if (step->verb == YS_VERB_WRITE && (bits & (GIVEN_TO | GIVEN_BYTES)) == 0)
        scene_error(checking, "key", step->place, "\"write\" needs a value: to: 42, or bytes: 2a 00");
    if (step->verb == YS_VERB_SET && (bits & (GIVEN_TO | GIVEN_BYTES)) == 0)
        scene_error(checking, "key", step->place, "\"set\" needs a value: to: 42");
    if ((bits & GIVEN_TO) != 0 && (bits & GIVEN_BYTES) != 0)
        scene_error(checking, "key", step->place, "a value is either in words (to) or in bytes: take one");
    return checking->scene->findings.errors == errors;
}

/* who */

static bool can_be_central(const struct ys_actor *actor)
{
    return !actor->is_device || actor->module == NULL;
}

static void check_who(struct checking *checking, struct ys_step *step, size_t inherited)
{
    const struct ys_scene *scene = checking->scene;
    enum doer doer = verbs[step->verb].doer;
    if (step->who_text.text != NULL)
        step->who = scene_find_actor(checking, &step->who_text, 0, scene->actor_count, "device or central");
    if (step->who_text.text != NULL && step->who == YS_NOBODY)
        return;
    if (step->who == YS_NOBODY)
        step->who = inherited;
    if (doer == BY_NONE)
        return;
    bool fits = step->who != YS_NOBODY && (doer != BY_DEVICE || scene->actors[step->who].is_device);
    if (!fits && step->who_text.text == NULL)
        step->who = doer == BY_CENTRAL  ? scene_only_one(scene->device_count, scene->actor_count)
                    : doer == BY_DEVICE ? scene_only_one(0, scene->device_count)
                                        : YS_NOBODY;
    if (step->who == YS_NOBODY)
        scene_error(checking, "who", step->place, "\"%s\" needs a central or device: add who: %s",
                    ys_verb_word(step->verb),
                    doer == BY_DEVICE ? scene->actors[0].name.text : scene->actors[scene->actor_count - 1].name.text);
    else if (doer == BY_DEVICE && !scene->actors[step->who].is_device)
        scene_error(checking, "who", step->place, "only a device can do \"%s\", and \"%s\" is a central",
                    ys_verb_word(step->verb), scene->actors[step->who].name.text);
    else if (doer == BY_CENTRAL && !can_be_central(&scene->actors[step->who]))
        scene_error(checking, "who", step->place,
                    "\"%s\" has firmware, so the scene cannot control it: use set, or a central, for \"%s\"",
                    scene->actors[step->who].name.text, ys_verb_word(step->verb));
    else if (step->verb == YS_VERB_ADVERTISE && scene->actors[step->who].is_device)
        scene_error(checking, "who", step->place,
                    "a device advertises as its definition says: only a central takes advertise");
    else if (step->verb == YS_VERB_STORE && scene->actors[step->who].is_image)
        scene_error(checking, "who", step->place,
                    "\"%s\" is an image, whose store is in its own flash: take a module of its firmware for this",
                    scene->actors[step->who].name.text);
}

/* all steps */

static void check_steps(struct checking *checking, struct ys_steps *steps, size_t who);

static void check_place(struct checking *checking, const struct ys_step *step)
{
    if (checking->scene->air_said <= YS_AIR_PERFECT)
        scene_error(checking, "air", step->place,
                    "distance has no effect in perfect air: use air: outdoors, or air: hall");
}

/* What people do when the two pair. */
static void check_passkey(struct checking *checking, struct ys_step *step)
{
    static const char *const words[] = {[YS_PEOPLE_RIGHT] = "right",
                                        [YS_PEOPLE_WRONG] = "wrong",
                                        [YS_PEOPLE_NOTHING] = "nothing",
                                        [YS_PEOPLE_CANCEL] = "cancel"};
    const char *text = step->passkey_text.text;
    for (size_t i = 0; text != NULL && i < COUNT(words); i++) {
        if (strcmp(text, words[i]) == 0) {
            step->people = (uint8_t)i;
            return;
        }
    }
    if (text == NULL)
        return;
    step->people = YS_PEOPLE_DIGITS;
    step->digits = (uint32_t)strtoul(text, NULL, 10);
    if (strlen(text) != 6 || strspn(text, "0123456789") != 6)
        scene_error(checking, "value", step->passkey_text.place,
                    "a passkey is right, wrong, nothing, cancel, or six digits such as \"004711\", not \"%s\"", text);
}

/* Both hosts are in the scene: firmware handles what is held to it by itself. */
static void check_touch(struct checking *checking, struct ys_step *step)
{
    const struct ys_scene *scene = checking->scene;
    scene_check_peer(checking, step);
    if (step->peer == YS_NOBODY || step->who == YS_NOBODY)
        return;
    const struct ys_actor *device = &scene->actors[step->peer];
    if (!device->is_device || device->module != NULL || scene->actors[step->who].is_device)
        scene_error(checking, "who", step->object.place,
                    "a central is held to a device that its definition plays: \"%s\" cannot be touched by \"%s\"",
                    device->name.text, scene->actors[step->who].name.text);
    else if (device->design != NULL && !device->design->security.given)
        scene_error(checking, "never", step->object.place, "\"%s\" does not pair, since its definition has no security",
                    device->name.text);
    else if (scene->actors[step->who].traits.legacy)
        scene_error(checking, "never", step->place,
                    "\"%s\" only pairs the older way, which has no data to be exchanged in advance",
                    scene->actors[step->who].name.text);
}

static void check_forget(struct checking *checking, struct ys_step *step)
{
    const struct ys_scene *scene = checking->scene;
    if (strcmp(step->object.text, "everybody") == 0)
        step->peer = YS_NOBODY;
    else
        scene_check_peer(checking, step);
    if (step->who != YS_NOBODY && scene->actors[step->who].module != NULL)
        scene_error(checking, "who", step->place,
                    "\"%s\" has firmware, so the scene cannot control it: use set, if it has an input for that",
                    scene->actors[step->who].name.text);
    else if (step->who != YS_NOBODY && scene->actors[step->who].is_device && scene->actors[step->who].design != NULL &&
             !scene->actors[step->who].design->security.given)
        scene_error(checking, "never", step->place, "\"%s\" has no bonds, since its definition has no security",
                    scene->actors[step->who].name.text);
}

/* Of parallel steps, those that expect nothing to arrive may last as long as the others. */
static void check_meanwhile(struct checking *checking, struct ys_step *group)
{
    size_t count = 0;
    for (size_t i = 0; i < group->steps.count; i++) {
        struct ys_step *step = &group->steps.items[i];
        bool expects_none = step->verb == YS_VERB_EXPECT_NONE || step->verb == YS_VERB_EXPECT_NO_LOG;
        step->meanwhile = expects_none && !step->for_us.given;
        count += step->meanwhile;
    }
    if (count > 0 && count == group->steps.count)
        scene_error(checking, "key", group->place,
                    "all of these steps last as long as the others, and there are none: add for: 2 s to one");
}

static void check_step(struct checking *checking, struct ys_step *step, size_t inherited)
{
    size_t errors = checking->scene->findings.errors;
    if (!check_keys(checking, step))
        return;
    check_who(checking, step, inherited);
    if (checking->scene->findings.errors > errors)
        return;
    scene_check_reason(checking, &step->fails);
    scene_check_reason(checking, &step->may_fail);
    scene_check_reason(checking, &step->because);
    if (step->within_us.given && step->within_us.number == 0)
        scene_error(checking, "never", step->within_us.place, "nothing comes within no time: give it some");
    switch (step->verb) {
    case YS_VERB_FIND:
        scene_check_name(checking, step);
        break;
    case YS_VERB_FIND_SERVICE:
        scene_check_service(checking, step);
        break;
    case YS_VERB_FIND_ADDRESS:
        scene_check_address(checking, step);
        break;
    case YS_VERB_CONNECT:
    case YS_VERB_DISCONNECT:
    case YS_VERB_DISCOVER:
    case YS_VERB_NONSENSE:
    case YS_VERB_EXPECT_DISCONNECTION:
        scene_check_peer(checking, step);
        break;
    case YS_VERB_PAIR:
        scene_check_peer(checking, step);
        check_passkey(checking, step);
        break;
    case YS_VERB_TOUCH:
        check_touch(checking, step);
        break;
    case YS_VERB_FORGET:
        check_forget(checking, step);
        break;
    case YS_VERB_READ:
    case YS_VERB_WRITE:
    case YS_VERB_SUBSCRIBE:
    case YS_VERB_UNSUBSCRIBE:
    case YS_VERB_EXPECT:
    case YS_VERB_EXPECT_NONE:
        scene_check_characteristic(checking, step);
        break;
    case YS_VERB_SET:
        scene_check_set(checking, step);
        break;
    case YS_VERB_WALK:
        check_place(checking, step);
        break;
    default:
        break;
    }
    if (step->verb == YS_VERB_AT_ONCE)
        check_meanwhile(checking, step);
    check_steps(checking, &step->steps, step->who);
}

static void check_steps(struct checking *checking, struct ys_steps *steps, size_t who)
{
    for (size_t i = 0; i < steps->count; i++) {
        if (i > 0 && steps->items[i - 1].verb == YS_VERB_END)
            scene_error(checking, "never", steps->items[i].place,
                        "this step comes after the end of the scene: move it up, or remove the end");
        check_step(checking, &steps->items[i], who);
    }
}

static void check_air(struct checking *checking)
{
    if (checking->scene->device_count == 0)
        scene_error(checking, "scene", (struct ys_place){.line = 1, .column = 1},
                    "the scene has no device: add one to devices:");
    if (checking->scene->steps.count == 0)
        scene_error(checking, "scene", (struct ys_place){.line = 1, .column = 1},
                    "nothing happens: add a step to steps:");
}

void ys_scene_check(struct ys_scene *scene, const struct ys_scene_files *files)
{
    struct checking checking = {.scene = scene, .files = files};
    check_air(&checking);
    ys_scene_settle_air(scene);
    for (size_t i = 0; i < scene->actor_count && scene->findings.errors < NAMES_MOST; i++)
        check_actor(&checking, i);
    if (scene->findings.errors == 0)
        check_steps(&checking, &scene->steps, YS_NOBODY);
    free(checking.subscriptions);
}

void ys_scene_check_step(struct ys_scene *scene, struct ys_step *step)
{
    struct checking checking = {.scene = scene};
    check_step(&checking, step, YS_NOBODY);
    free(checking.subscriptions);
}
