/* What images tell at the end of a take. */
#include "scene/image_told.h"

#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>

#include "design/model/memory.h"
#include "scene/acting.h"
#include "world/device_log.h"

static const char *event_name(uint16_t number)
{
    static const char *const names[] = {
        [YS_EVENT_READY] = "ready",
        [YS_EVENT_ADVERTISING_ENDED] = "advertising ended",
        [YS_EVENT_REPORT] = "report",
        [YS_EVENT_CONNECTED] = "connected",
        [YS_EVENT_DISCONNECTED] = "disconnected",
        [YS_EVENT_MTU] = "MTU",
        [YS_EVENT_SUBSCRIPTION] = "subscription",
        [YS_EVENT_NOTIFICATION] = "notification",
        [YS_EVENT_PASSKEY_SHOW] = "passkey to be shown",
        [YS_EVENT_SECURED] = "secured",
        [YS_EVENT_BOND] = "bond",
        [YS_EVENT_LINK_CHANGED] = "link changed",
    };
    const char *name = number < sizeof names / sizeof names[0] ? names[number] : NULL;
    return name != NULL ? name : "other";
}

static const char *value_name(const struct ys_layout *layout, uint16_t handle)
{
    const struct ys_characteristic *characteristic =
        handle > 0 && handle <= layout->count ? layout->rows[handle - 1].characteristic : NULL;
    return characteristic != NULL ? characteristic->name : "something unknown";
}

static char *call_name(const struct ys_layout *layout, const struct ys_target_count *count)
{
    switch (count->kind) {
    case 'r':
        return ys_new_text("read handler of %s", value_name(layout, count->number));
    case 'w':
        return ys_new_text("write handler of %s", value_name(layout, count->number));
    case 'c':
        return ys_new_text("consent to %s", value_name(layout, count->number));
    case 'i':
        return ys_new_text("timer interrupt");
    case 'e':
        return ys_new_text("event handler: %s", event_name(count->number));
    case 't':
        return ys_new_text("awake, with the host");
    default:
        return ys_new_text("something else");
    }
}

static void tell_one(struct ys_take *take, const struct on_stage *one, const struct ys_layout *layout,
                     const struct ys_target *target)
{
    struct ys_target_count count;
    take->images = ys_grow(take->images, take->image_count, sizeof *take->images);
    struct ys_image_told *told = &take->images[take->image_count++];
    double seconds = ys_device_activity(one->device).seconds;
    *told = (struct ys_image_told){.who = stage_copy(one->actor->name.text), .stack_deepest = ys_target_stack(target)};
    ys_target_sizes(target, &told->sizes);
    told->wakes_an_hour = seconds > 0 ? (double)ys_target_wakes(target) * 3600 / seconds : 0;
    for (size_t i = 0; ys_target_count(target, i, &count); i++) {
        if (count.calls == 0)
            continue;
        told->calls = ys_grow(told->calls, told->call_count, sizeof *told->calls);
        told->calls[told->call_count++] = (struct ys_image_call){.what = call_name(layout, &count),
                                                                 .calls = count.calls,
                                                                 .mean = count.instructions / count.calls,
                                                                 .most = count.most};
    }
}

/* budgets */

struct budget {
    const char *what;
    const struct ys_counted *limit;
    uint32_t taken;
};

static void add_failed_step(const struct ys_stage *stage, const struct on_stage *one, const struct budget *budget)
{
    struct ys_take *take = stage->take;
    uint64_t now_ns = ys_world_now_ns(&stage->world);
    take->steps = ys_grow(take->steps, take->step_count, sizeof *take->steps);
    take->steps[take->step_count++] = (struct ys_done_step){
        .began_ns = now_ns,
        .ended_ns = now_ns,
        .line = one->actor->place.line,
        .who = stage_copy(one->actor->name.text),
        .what = ys_new_text("stays within its %s", budget->what),
        .expected =
            ys_new_text("at most %llu bytes, by limits in its definition", (unsigned long long)budget->limit->number),
        .came = ys_new_text("%lu bytes", (unsigned long)budget->taken),
    };
}

static bool is_within(const struct ys_stage *stage, const struct on_stage *one, const struct ys_image_told *told)
{
    const struct ys_limits *limits = &one->actor->design->limits;
    const struct budget budgets[] = {{"flash", &limits->flash, told->sizes.flash},
                                     {"RAM", &limits->ram, told->sizes.ram + told->sizes.stack},
                                     {"stack", &limits->stack, told->stack_deepest}};
    bool good = true;
    for (size_t i = 0; i < sizeof budgets / sizeof budgets[0]; i++) {
        if (!budgets[i].limit->given || budgets[i].taken <= budgets[i].limit->number)
            continue;
        add_failed_step(stage, one, &budgets[i]);
        good = false;
    }
    return good;
}

bool image_tell_all(const struct ys_stage *stage)
{
    bool good = true;
    for (size_t i = 0; i < stage->scene->device_count; i++) {
        const struct on_stage *one = &stage->actors[i];
        const struct ys_target *target = one->image != NULL ? ys_image_report(one->image) : NULL;
        if (target == NULL) /* it has none, or no power, or has failed */
            continue;
        tell_one(stage->take, one, stage->layouts[i], target);
        good = is_within(stage, one, &stage->take->images[stage->take->image_count - 1]) && good;
    }
    return good;
}
