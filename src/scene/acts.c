/* What each kind of step does on the stage. */
#include "scene/acts.h"

#include <math.h>
#include <stdio.h>
#include <string.h>

#include "design/making/value_unknown.h"
#include "scene/acting.h"
#include "scene/expectations.h"
#include "scene/remembered.h"
#include "scene/steps.h"
#include "scene/verbs.h"
#include "world/people.h"

#define TOUCH_NS      (5 * YS_NS_PER_S)
#define WALK_STEP_NS  (100 * YS_NS_PER_MS)
#define CYCLE_NS      YS_NS_PER_S
#define READY_MOST_NS (5 * YS_NS_PER_S)
/* A task of a central has a time for each answer that it waits for; this is for all of them together. */
#define TASK_MOST_NS (3600 * YS_NS_PER_S)

static void say(const struct act *act, const char *text)
{
    ys_world_say(&act->stage->world, YS_SIDE_SCENE, "scene", "%s", text);
}

/* tasks of centrals */

static void expect_outcome(struct act *act)
{
    if (act->step->fails.text != NULL)
        (void)snprintf(act->expected, sizeof act->expected, "that it fails: %s", act->step->fails.text);
    else if (act->step->may_fail.text != NULL)
        (void)snprintf(act->expected, sizeof act->expected, "that it succeeds, or fails: %s", act->step->may_fail.text);
    else
        (void)snprintf(act->expected, sizeof act->expected, "that it succeeds");
}

static bool is_allowed(const struct act *act)
{
    const char *may_fail = act->step->may_fail.text;
    return may_fail != NULL && ys_reason_is(may_fail, act->task.came);
}

static void poll_task(struct act *act)
{
    const char *fails = act->step->fails.text;
    uint64_t within_ns = act->step->within_us.number * YS_NS_PER_US;
    if (within_ns > 0 && !act->task.done && act_now_ns(act) >= act->began_ns + within_ns)
        ys_task_give_up(&act->task, within_ns);
    act->until_ns = act->began_ns + (within_ns > 0 ? within_ns : act->task.patience_ns + TASK_MOST_NS);
    if (!act->task.done && act_now_ns(act) >= act->until_ns)
        act_end(act, false, "it was still at work %g s after it began",
                (double)(act->until_ns - act->began_ns) / (double)YS_NS_PER_S);
    if (!act->task.done)
        return;
    if (fails != NULL)
        act_end(act, !act->task.good && ys_reason_is(fails, act->task.came), "%s", act->task.brief);
    else
        act_end(act, act->task.good || is_allowed(act), "%s", act->task.brief);
}

static void begin_find(struct act *act)
{
    const struct ys_step *step = act->step;
    expect_outcome(act);
    if (step->verb == YS_VERB_FIND)
        act->wanted.name = step->object.text;
    else if (step->verb == YS_VERB_FIND_SERVICE)
        act->wanted.service = &step->service;
    else
        act->wanted.address = &step->address;
    if (step->verb == YS_VERB_FIND_ADDRESS && step->peer != YS_NOBODY) {
        act->address = stage_address(&act->stage->actors[step->peer]);
        act->wanted.address = &act->address;
    }
    ys_begin_find(&act->task, act_who(act)->central, &act->wanted, step->within_us.number * YS_NS_PER_US);
}

/* Whether the device that was found has its host outside, and was unknown until now. */
static bool is_the_one(const struct act *act, const struct on_stage *one)
{
    const struct ys_design *design = one->actor->design;
    if (one->plug == NULL || ys_plug_has_address(one->plug))
        return false;
    return act->step->verb != YS_VERB_FIND || strcmp(design->name.text, act->step->object.text) == 0;
}

static void poll_find(struct act *act)
{
    struct ys_stage *stage = act->stage;
    poll_task(act);
    if (act->state != ACT_PASSED || !act->task.good)
        return;
    for (size_t i = 0; i < stage->scene->device_count; i++) {
        if (!is_the_one(act, &stage->actors[i]))
            continue;
        ys_plug_assume(stage->actors[i].plug, ys_peer_address(act->task.peer));
        ys_central_found_is_known(act_who(act)->central);
        return;
    }
}

static bool is_nowhere(const struct on_stage *one)
{
    return one->plug != NULL && !ys_plug_has_address(one->plug);
}

/* The peer that the step names, wherever it is now; else the one that was found. */
static void begin_connect(struct act *act)
{
    struct ys_central *central = act_who(act)->central;
    expect_outcome(act);
    if (act->step->peer != YS_NOBODY && is_nowhere(&act->stage->actors[act->step->peer])) {
        act_end(act, false, "the address of %s is not known, since it is outside: find it by its name first",
                act->stage->actors[act->step->peer].actor->name.text);
        return;
    }
    if (act->step->peer != YS_NOBODY) {
        const struct ys_address address = stage_address(&act->stage->actors[act->step->peer]);
        act->peer = ys_central_peer(central, &address);
    } else {
        act->peer = ys_central_found(central);
    }
    if (act->peer != NULL)
        ys_begin_connect(&act->task, act->peer, act->step->within_us.number * YS_NS_PER_US);
    else
        act_end(act, false, "has found no device yet: add find, or name the device");
}

/* What only needs to know with whom. */
static void begin_with(struct act *act, void (*begin)(struct ys_task *task, struct ys_peer *peer))
{
    expect_outcome(act);
    if (act_find_peer(act))
        begin(&act->task, act->peer);
}

static void begin_disconnect(struct act *act)
{
    begin_with(act, ys_begin_disconnect);
}

static void begin_discover(struct act *act)
{
    begin_with(act, ys_begin_discover);
}

static void begin_pair(struct act *act)
{
    act->stage->world.people = act->step->people;
    act->stage->world.digits = act->step->digits;
    begin_with(act, ys_begin_pair);
}

static bool is_on(const struct on_stage *one)
{
    return one->device != NULL ? ys_device_is_on(one->device) : ys_central_is_on(one->central);
}

/* Of a device its host is told, which is that of a stand-in. */
static void begin_forget(struct act *act)
{
    const struct ys_step *step = act->step;
    const struct on_stage *one = act_who(act);
    const char *whom = step->object.text;
    struct ys_address address = {.type = YS_ADDRESS_PUBLIC};
    bool good = true;
    expect_outcome(act);
    if (step->peer != YS_NOBODY)
        address = stage_address(&act->stage->actors[step->peer]);
    const struct ys_address *identity = step->peer != YS_NOBODY ? &address : NULL;
    if (one->central != NULL)
        good = ys_central_forget(one->central, identity);
    else
        good = ys_device_forget(one->device, identity);
    if (!is_on(one))
        act_end(act, false, "cannot forget %s: it has no power", whom);
    else if (good)
        act_end(act, true, "has forgotten %s", whom);
    else
        act_end(act, false, "does not remember %s", whom);
}

static void begin_touch(struct act *act)
{
    const struct on_stage *device = &act->stage->actors[act->step->peer];
    const char *problem = "it has no power";
    expect_outcome(act);
    act->until_ns = act_now_ns(act) + TOUCH_NS;
    if (!ys_device_is_on(device->device) || !ys_central_is_on(act_who(act)->central) ||
        !ys_people_touch(ys_central_person(act_who(act)->central), ys_device_person(device->device), &problem))
        act_end(act, false, "cannot be held to %s: %s", act->step->object.text, problem);
}

static void poll_touch(struct act *act)
{
    const struct on_stage *device = &act->stage->actors[act->step->peer];
    if (ys_people_have_touched(ys_central_person(act_who(act)->central), ys_device_person(device->device)))
        act_end(act, true, "both have the other's data");
    else if (act_now_ns(act) >= act->until_ns)
        act_end(act, false, "no data came from one of them within %g s", (double)TOUCH_NS / (double)YS_NS_PER_S);
}

static void begin_nonsense(struct act *act)
{
    expect_outcome(act);
    if (act_find_peer(act))
        ys_begin_nonsense(&act->task, act->peer, act->step->for_us.number * YS_NS_PER_US);
}

static void begin_read(struct act *act)
{
    if (act->step->fails.text != NULL || act->step->may_fail.text != NULL)
        expect_outcome(act);
    else
        act_say_value(act);
    if (act_find_value(act))
        ys_begin_read(&act->task, act->peer, act->handle);
}

/* Of a structure of which one field is compared, that is shown. */
static void show_field(struct act *act)
{
    const struct ys_step *step = act->step;
    size_t length = act->task.length;
    const uint8_t *part = act_compared(act, act->task.value, &length);
    if (part == NULL)
        (void)snprintf(act->came, sizeof act->came, "it has no %s", step->field_text.text);
    else
        ys_value_say(step->field, part, length, act->came, sizeof act->came);
}

/* A value that was not written, or whose source is unknown, may be anything. */
static bool is_as_written(struct act *act)
{
    const struct ys_bytes *written = act->step->as > 0 ? remembered_write(act) : NULL;
    if (written == NULL ||
        (written->length == act->task.length && memcmp(written->bytes, act->task.value, act->task.length) == 0))
        return true;
    char text[200];
    ys_value_say(act->step->characteristic != NULL ? &act->step->characteristic->type : NULL, written->bytes,
                 written->length, text, sizeof text);
    (void)snprintf(act->expected, sizeof act->expected, "%s, which was written", text);
    return false;
}

static void poll_read(struct act *act)
{
    poll_task(act);
    if (act->task.done && act->task.good && act->step->field_text.text != NULL)
        show_field(act);
    if (act->state == ACT_PASSED && act->task.good && act->step->fails.text == NULL &&
        (!act_value_fits(act, act->task.value, act->task.length) || !is_as_written(act)))
        act->state = ACT_FAILED;
}

static void begin_write(struct act *act)
{
    const struct ys_bytes *value = &act->step->value;
    expect_outcome(act);
    if (act_find_value(act))
        ys_begin_write(&act->task, act->peer, act->handle, value->bytes, value->length, act->step->response == 1);
}

static void poll_write(struct act *act)
{
    poll_task(act);
    if (act->state != ACT_RUNS)
        remember_write(act);
}

static void begin_subscribe(struct act *act)
{
    expect_outcome(act);
    if (!act_find_value(act))
        return;
    *act_mark(act) = ys_central_received(act_who(act)->central);
    ys_begin_subscribe(&act->task, act->peer, act->handle,
                       act->step->verb == YS_VERB_SUBSCRIBE ? (enum ys_subscription)act->step->subscription
                                                            : YS_SUBSCRIBE_NONE);
}

static void begin_advertise(struct act *act)
{
    bool on = act->step->word == 1;
    enum ys_result result = ys_central_advertise(act_who(act)->central, on);
    if (result == YS_OK)
        act_end(act, true, "it %s", on ? "advertises" : "stops advertising");
    else
        act_end(act, false, "it cannot advertise: %s", ys_result_text(result));
}

static void poll_nothing(struct act *act)
{
    (void)act;
}

/* devices, and whoever has power */

static void begin_set(struct act *act)
{
    const struct ys_step *step = act->step;
    struct on_stage *one = act_who(act);
    const char *text = step->to_text.text != NULL ? step->to_text.text : step->bytes_text.text;
    if (!ys_device_is_on(one->device)) {
        act_end(act, false, "%s has no power", one->actor->name.text);
        return;
    }
    ys_world_say(&act->stage->world, YS_SIDE_DEVICE, one->actor->name.text, "is set: %s %s", step->object.text, text);
    act_end(act, true, "%s is %s", step->object.text, text);
    forget_writes(act->stage, step->who);
    if (one->actor->module != NULL)
        (void)ys_device_set(one->device, step->input, step->input_value);
    else
        ys_stand_in_set(ys_device_stand_in_of(one->device), ys_device_handle(one->device, step->characteristic),
                        step->value.bytes, step->value.length);
}

static void switch_off(const struct on_stage *one)
{
    if (one->central != NULL)
        ys_central_stop(one->central);
    if (one->device != NULL && ys_device_is_on(one->device)) {
        forget_writes(one->stage, (size_t)(one - one->stage->actors));
        ys_device_stop(one->device);
    }
}

static void switch_on(const struct on_stage *one)
{
    if (one->module != NULL)
        ys_module_reset(one->module);
    if (one->device != NULL)
        ys_device_start(one->device);
    else
        ys_central_start(one->central);
}

static bool is_ready(const struct on_stage *one)
{
    return one->device != NULL ? ys_device_is_ready(one->device) : ys_central_is_ready(one->central);
}

/* It is switched on, and waited for until it is ready. */
static void begin_switch_on(struct act *act)
{
    switch_on(act_who(act));
    act->rounds = 1;
    act->until_ns = act_now_ns(act) + READY_MOST_NS;
}

static void begin_power(struct act *act)
{
    const struct ys_step *step = act->step;
    const struct on_stage *one = act_who(act);
    bool on = is_on(one);
    (void)snprintf(act->expected, sizeof act->expected, "that it is %s", step->word == YS_POWER_OFF ? "off" : "ready");
    if (step->word == YS_POWER_ON) {
        if (on)
            act_end(act, true, "it was on already");
        else
            begin_switch_on(act);
        return;
    }
    if (on)
        switch_off(one);
    if (step->word == YS_POWER_OFF)
        act_end(act, true, "%s", on ? "it is off" : "it was off already");
    else
        act->until_ns = act_now_ns(act) + (step->for_us.given ? step->for_us.number * YS_NS_PER_US : CYCLE_NS);
}

static void poll_power(struct act *act)
{
    if (act->rounds == 0 && act_now_ns(act) >= act->until_ns)
        begin_switch_on(act);
    if (act->rounds == 0)
        return;
    if (is_ready(act_who(act)))
        act_end(act, true, "it is on");
    else if (act_now_ns(act) >= act->until_ns)
        act_end(act, false, "it is not ready within 5 s");
}

/* What is to be stored from now on is not, or is again. */
static void begin_store(struct act *act)
{
    const struct on_stage *one = act_who(act);
    bool works = act->step->word == YS_STORE_WORKS;
    if (one->device != NULL)
        ys_device_store(one->device, works);
    else
        ys_central_store(one->central, works);
    act_end(act, true, "%s", works ? "it works" : "it fails");
}

/* the world */

static void place(struct act *act, double share)
{
    struct on_stage *one = act_who(act);
    const struct ys_place_m *to = &act->step->to;
    one->at.x_m = act->from.x_m + share * (to->x_m - act->from.x_m);
    one->at.y_m = act->from.y_m + share * (to->y_m - act->from.y_m);
    (void)ys_radio_place(act->stage->world.radio, one->number, one->at.x_m, one->at.y_m);
}

static void begin_walk(struct act *act)
{
    const struct ys_place_m *to = &act->step->to;
    act->from = act_who(act)->at;
    act->until_ns = act_now_ns(act);
    ys_world_say(&act->stage->world, act_who(act)->actor->is_device ? YS_SIDE_DEVICE : YS_SIDE_CENTRAL,
                 act_who(act)->actor->name.text, "walks %.1f m, to [%g m, %g m]",
                 hypot(to->x_m - act->from.x_m, to->y_m - act->from.y_m), to->x_m, to->y_m);
}

static void poll_walk(struct act *act)
{
    uint64_t passed_ns = act_now_ns(act) - act->began_ns;
    uint64_t for_ns = act->step->for_us.number * YS_NS_PER_US;
    if (act_now_ns(act) < act->until_ns)
        return;
    place(act, for_ns > 0 && passed_ns < for_ns ? (double)passed_ns / (double)for_ns : 1);
    if (passed_ns >= for_ns) {
        act_end(act, true, "it stands at [%g m, %g m]", act->step->to.x_m, act->step->to.y_m);
        return;
    }
    uint64_t next_ns = act_now_ns(act) + WALK_STEP_NS;
    act->until_ns = next_ns < act->began_ns + for_ns ? next_ns : act->began_ns + for_ns;
}

static void jam(struct act *act, uint64_t channels)
{
    act->stage->jammed = channels;
    ys_radio_jam(act->stage->world.radio, channels);
}

static void begin_jam(struct act *act)
{
    unsigned count = 0;
    for (uint64_t channels = act->step->channels; channels != 0; channels &= channels - 1)
        count++;
    ys_world_say(&act->stage->world, YS_SIDE_SCENE, "scene", "%u channel%s jammed", count,
                 count == 1 ? " is" : "s are");
    act->before = act->stage->jammed;
    if (!act->step->for_us.given) {
        jam(act, act->step->channels);
        act_end(act, true, "%u channels are jammed from now on", count);
        return;
    }
    jam(act, act->before | act->step->channels);
    act->until_ns = act_now_ns(act) + act->step->for_us.number * YS_NS_PER_US;
}

static void poll_jam(struct act *act)
{
    if (act_now_ns(act) < act->until_ns)
        return;
    jam(act, act->before);
    say(act, "they are free again");
    act_end(act, true, "they were jammed for %g s", (double)(act_now_ns(act) - act->began_ns) / (double)YS_NS_PER_S);
}

static void begin_wait(struct act *act)
{
    act->until_ns = act_now_ns(act) + act->step->wait_us * YS_NS_PER_US;
}

static void poll_wait(struct act *act)
{
    if (act_now_ns(act) >= act->until_ns)
        act_end(act, true, "%g s have passed", (double)act->step->wait_us / 1e6);
}

static void begin_end(struct act *act)
{
    act->stage->ended = true;
    act_end(act, true, "the scene is over");
}

const struct act_kind act_kinds[YS_VERBS] = {
    [YS_VERB_NONE] = {begin_end, poll_nothing},
    [YS_VERB_FIND] = {begin_find, poll_find},
    [YS_VERB_FIND_SERVICE] = {begin_find, poll_find},
    [YS_VERB_FIND_ADDRESS] = {begin_find, poll_task},
    [YS_VERB_CONNECT] = {begin_connect, poll_task},
    [YS_VERB_DISCONNECT] = {begin_disconnect, poll_task},
    [YS_VERB_DISCOVER] = {begin_discover, poll_task},
    [YS_VERB_READ] = {begin_read, poll_read},
    [YS_VERB_WRITE] = {begin_write, poll_write},
    [YS_VERB_SUBSCRIBE] = {begin_subscribe, poll_task},
    [YS_VERB_UNSUBSCRIBE] = {begin_subscribe, poll_task},
    [YS_VERB_PAIR] = {begin_pair, poll_task},
    [YS_VERB_FORGET] = {begin_forget, poll_nothing},
    [YS_VERB_TOUCH] = {begin_touch, poll_touch},
    [YS_VERB_NONSENSE] = {begin_nonsense, poll_task},
    [YS_VERB_ADVERTISE] = {begin_advertise, poll_nothing},
    [YS_VERB_EXPECT] = {begin_expect, poll_expect},
    [YS_VERB_EXPECT_NONE] = {begin_expect_none, poll_expect_none},
    [YS_VERB_EXPECT_LOG] = {begin_expect_log, poll_expect_log},
    [YS_VERB_EXPECT_NO_LOG] = {begin_expect_no_log, poll_expect_no_log},
    [YS_VERB_EXPECT_DISCONNECTION] = {begin_expect_disconnection, poll_expect_disconnection},
    [YS_VERB_SET] = {begin_set, poll_nothing},
    [YS_VERB_POWER] = {begin_power, poll_power},
    [YS_VERB_STORE] = {begin_store, poll_nothing},
    [YS_VERB_WALK] = {begin_walk, poll_walk},
    [YS_VERB_JAM] = {begin_jam, poll_jam},
    [YS_VERB_WAIT] = {begin_wait, poll_wait},
    [YS_VERB_AT_ONCE] = {poll_nothing, poll_at_once},
    [YS_VERB_REPEAT] = {poll_nothing, poll_steps},
    [YS_VERB_STEPS] = {poll_nothing, poll_steps},
    [YS_VERB_END] = {begin_end, poll_nothing},
};
