/* A stage: who is in it, and the steps as they are done. */
#include "scene/stage.h"

#include <stdarg.h>
#include <stdlib.h>
#include <string.h>

#include "design/model/memory.h"
#include "scene/acting.h"
#include "scene/acts.h"
#include "scene/audited.h"
#include "scene/image_told.h"
#include "scene/remembered.h"
#include "scene/stage_parts.h"
#include "scene/steps.h"

#define SETTLE_NS      (50 * YS_NS_PER_MS)
#define LINES_MOST     500000
#define PACKETS_BEFORE 12

/* takes */

static void take_line(void *context, uint64_t at_ns, enum ys_side side, const char *name, const char *text)
{
    struct ys_stage *stage = context;
    struct ys_take *take = stage->take;
    char *shown = stage_copy(text);
    if (stage->line != NULL)
        stage->line(stage->line_context, at_ns, side, name, shown);
    if (take->line_count < LINES_MOST) {
        take->lines = ys_grow(take->lines, take->line_count, sizeof *take->lines);
        take->lines[take->line_count++] =
            (struct ys_log_line){.at_ns = at_ns, .side = side, .who = stage_copy(name), .text = shown};
    } else {
        free(shown);
    }
    ys_world_stir(&stage->world);
}

static void take_packet_line(void *context, const char *text)
{
    struct ys_take *take = context;
    take->packets = ys_grow(take->packets, take->packet_count, sizeof *take->packets);
    take->packets[take->packet_count++] = stage_copy(text);
}

#if defined(__GNUC__)
__attribute__((format(printf, 3, 4)))
#endif
static void
break_off(struct ys_stage *stage, struct ys_place place, const char *format, ...)
{
    char text[1100];
    va_list arguments;
    if (stage->take->problem != NULL)
        return;
    va_start(arguments, format);
    (void)vsnprintf(text, sizeof text, format, arguments);
    va_end(arguments);
    stage->take->ending = YS_TAKE_BROKEN;
    stage->take->place = place;
    stage->take->problem = stage_copy(text);
}

/* who is who */

static const struct ys_design *known(void *context, const struct ys_address *address, const char **name)
{
    const struct ys_stage *stage = context;
    for (size_t i = 0; i < stage->scene->actor_count; i++) {
        const struct on_stage *one = &stage->actors[i];
        if (one->device == NULL && one->central == NULL)
            continue;
        const struct ys_address own = stage_address(one);
        if (!ys_address_is_equal(&own, address))
            continue;
        *name = one->actor->name.text;
        return one->actor->design;
    }
    return NULL;
}

static void on_air(void *context, const struct ys_air_packet *packet)
{
    struct ys_stage *stage = context;
    (void)packet;
    stage->take->air_packets++;
}

/* setting up */

/* Whether anybody makes a central of a device that its definition plays. */
static bool plays_central(const struct ys_steps *steps, size_t who)
{
    for (size_t i = 0; i < steps->count; i++) {
        const struct ys_step *step = &steps->items[i];
        bool central = step->verb >= YS_VERB_FIND && step->verb <= YS_VERB_EXPECT_DISCONNECTION &&
                       step->verb != YS_VERB_EXPECT_LOG && step->verb != YS_VERB_EXPECT_NO_LOG;
        if ((central && step->who == who) || plays_central(&step->steps, who))
            return true;
    }
    return false;
}

static bool set_up_device(struct ys_stage *stage, struct on_stage *one)
{
    const struct ys_actor *actor = one->actor;
    char problem[1000] = "";
    if (actor->plugged) {
        one->plug = ys_plug_new();
        if (one->plug != NULL)
            one->device = ys_device_plugged(&stage->world, one->number, actor->name.text, actor->design, one->plug,
                                            &actor->hardware);
    } else if (actor->is_image) {
        one->image = ys_image_open(actor->module, actor->design, problem, sizeof problem);
        if (one->image == NULL) {
            break_off(stage, actor->firmware.place, "%s: %s", actor->module, problem);
            return false;
        }
        one->device = ys_device_with_image(&stage->world, one->number, actor->name.text, actor->design, one->image,
                                           &actor->hardware);
    } else if (actor->module != NULL) {
        one->module = ys_module_open(actor->module, actor->design, problem, sizeof problem);
        if (one->module == NULL) {
            break_off(stage, actor->firmware.place, "%s", problem);
            return false;
        }
        one->device = ys_device_new(&stage->world, one->number, actor->name.text, actor->design,
                                    ys_module_of(one->module), &actor->hardware);
    } else {
        one->device = ys_device_stand_in(&stage->world, one->number, actor->name.text, actor->design, &actor->hardware);
    }
    bool both = one->device != NULL && actor->module == NULL &&
                plays_central(&stage->scene->steps, (size_t)(one - stage->actors));
    if (both)
        one->central = ys_central_on(one->device, &stage->world, actor->name.text, &actor->traits, known, stage);
    bool good = one->device != NULL && both == (one->central != NULL);
    if (good && actor->unseen == 1)
        ys_device_hide(one->device);
    if (!good)
        break_off(stage, actor->place, "\"%s\" cannot be started%s%s", actor->name.text,
                  stage->world.trouble != NULL ? ": " : "", stage->world.trouble != NULL ? stage->world.trouble : "");
    return good;
}

static bool set_up(struct ys_stage *stage, size_t i)
{
    struct on_stage *one = &stage->actors[i];
    const struct ys_actor *actor = &stage->scene->actors[i];
    *one = (struct on_stage){.stage = stage, .actor = actor, .number = (uint16_t)(i + 1), .at = actor->at};
    if (stage->scene->air.kind > YS_AIR_PERFECT) {
        (void)ys_radio_place(stage->world.radio, one->number, actor->at.x_m, actor->at.y_m);
        (void)ys_radio_carry(stage->world.radio, one->number, actor->body_db);
    }
    if (actor->is_device)
        return set_up_device(stage, one);
    one->central =
        ys_central_new(&stage->world, one->number, actor->name.text, &actor->traits, &actor->hardware, known, stage);
    if (one->central == NULL)
        break_off(stage, actor->place, "\"%s\" cannot be started", actor->name.text);
    else if (actor->unseen == 1)
        ys_central_hide(one->central);
    return one->central != NULL;
}

/* Inputs of firmware are known now that it is loaded. */
static bool check_inputs(struct ys_stage *stage, const struct ys_steps *steps)
{
    for (size_t i = 0; i < steps->count; i++) {
        const struct ys_step *step = &steps->items[i];
        char names[300];
        if (!check_inputs(stage, &step->steps))
            return false;
        if (step->verb != YS_VERB_SET || stage->actors[step->who].actor->module == NULL ||
            ys_device_has_input(stage->actors[step->who].device, step->input, names, sizeof names))
            continue;
        break_off(stage, step->object.place, "the firmware of %s has no input \"%s\"; it has %s",
                  stage->actors[step->who].actor->name.text, step->input, names[0] != '\0' ? names : "none");
        return false;
    }
    return true;
}

static void switch_on(struct ys_stage *stage)
{
    for (size_t i = 0; i < stage->scene->actor_count; i++) {
        if (stage->actors[i].device != NULL)
            ys_device_start(stage->actors[i].device);
        else
            ys_central_start(stage->actors[i].central);
    }
    ys_world_run(&stage->world, SETTLE_NS);
}

/* What their values mean, for who tells of packets. */
static bool name_devices(struct ys_stage *stage)
{
    stage->names = ys_names_new();
    stage->layouts = ys_new(stage->scene->device_count * sizeof(struct ys_layout *) + 1);
    bool good = stage->names != NULL;
    for (size_t i = 0; i < stage->scene->device_count && good; i++) {
        const struct ys_actor *actor = &stage->scene->actors[i];
        stage->layouts[i] = ys_layout_new(actor->design);
        good =
            stage->layouts[i] != NULL && ys_names_add(stage->names, actor->name.text, actor->design, stage->layouts[i]);
    }
    return good;
}

struct ys_stage *ys_stage_new(const struct ys_scene *scene, struct ys_take *take, uint64_t seed, bool packets,
                              struct ys_recording *recording, ys_line_fn *line, void *context)
{
    struct ys_stage *stage = ys_new(sizeof *stage);
    *take = (struct ys_take){.seed = seed};
    stage->scene = scene;
    stage->kinds = act_kinds;
    stage->take = take;
    stage->line = line;
    stage->line_context = context;
    stage->actors = ys_new(scene->actor_count * sizeof *stage->actors + 1);
    bool good = ys_world_init(&stage->world, seed, take_line, stage) && name_devices(stage);
    good = good && ys_world_set_air(&stage->world, &scene->air);
    for (size_t i = 0; i < scene->disturber_count && good; i++)
        good = ys_world_disturb(&stage->world, &scene->disturbers[i].is);
    stage->observer = (struct ys_observer){.observe = on_air, .context = stage};
    if (good) {
        ys_radio_observe(stage->world.radio, &stage->observer);
        ys_world_record(&stage->world, recording);
    }
    if (good && packets) {
        const struct ys_glossary glossary = ys_names_glossary(stage->names);
        stage->packets = ys_packets_new(&stage->world, &glossary);
        good = stage->packets != NULL;
    }
    if (good && scene->audited == 1) {
        stage->audited = audited_new(stage);
        good = stage->audited != NULL;
    }
    for (size_t i = 0; i < scene->actor_count && good; i++)
        good = set_up(stage, i);
    for (size_t i = scene->device_count; i < scene->actor_count && good; i++) {
        if (scene->actors[i].pretends != YS_NOBODY)
            ys_central_pretend(stage->actors[i].central, stage->actors[scene->actors[i].pretends].central);
    }
    if (good && check_inputs(stage, &scene->steps)) {
        switch_on(stage);
        return stage;
    }
    break_off(stage, (struct ys_place){.line = 0}, "there is no memory for it");
    ys_stage_free(stage);
    return NULL;
}

void ys_stage_free(struct ys_stage *stage)
{
    if (stage == NULL)
        return;
    for (size_t i = 0; i < stage->scene->actor_count; i++) {
        ys_central_free(stage->actors[i].central);
        ys_device_free(stage->actors[i].device);
        ys_module_close(stage->actors[i].module);
        ys_image_close(stage->actors[i].image);
        ys_plug_free(stage->actors[i].plug);
    }
    if (stage->world.clock != NULL)
        ys_world_end(&stage->world);
    while (stage->kept != NULL) { /* timers of what they began were in the world's clock until now */
        struct act *act = stage->kept;
        stage->kept = act->next;
        act_free(act);
    }
    ys_packets_free(stage->packets);
    audited_free(stage->audited);
    remembered_free(stage);
    for (size_t i = 0; i < stage->scene->device_count && stage->layouts != NULL; i++)
        ys_layout_free(stage->layouts[i]);
    free(stage->layouts);
    ys_names_free(stage->names);
    free(stage->actors);
    free(stage->marks);
    free(stage);
}

struct ys_world *ys_stage_world(struct ys_stage *stage)
{
    return &stage->world;
}

struct ys_packets *ys_stage_packets(struct ys_stage *stage)
{
    return stage->packets;
}

struct ys_central *ys_stage_central(struct ys_stage *stage, size_t actor)
{
    return stage->actors[actor].central;
}

struct ys_device *ys_stage_device(struct ys_stage *stage, size_t actor)
{
    return stage->actors[actor].device;
}

struct ys_plug *ys_stage_plug(struct ys_stage *stage, size_t actor)
{
    return stage->actors[actor].plug;
}

/* Time does not move on any more; the firmware that was called last is the likely reason. */
static void say_standing(struct ys_stage *stage)
{
    const struct ys_running *running = &ys_running;
    double at_s = (double)ys_world_now_ns(&stage->world) / (double)YS_NS_PER_S;
    if (stage->world.failure[0] != '\0')
        break_off(stage, stage->at, "%s", stage->world.failure);
    else if (running->last != NULL)
        break_off(stage, stage->at,
                  "time does not advance at %.6f s: over 100,000 events at the same time; the last firmware called was "
                  "that of %s, in %s%s%s",
                  at_s, running->last, running->what, running->of != NULL ? " of " : "",
                  running->of != NULL ? running->of : "");
    else
        break_off(stage, stage->at, "time does not advance at %.6f s: over 100,000 events at the same time", at_s);
}

bool ys_stage_do(struct ys_stage *stage, const struct ys_steps *steps)
{
    bool passed = do_steps(stage, steps);
    if (ys_clock_stands(stage->world.clock))
        say_standing(stage);
    return passed && stage->take->ending != YS_TAKE_BROKEN;
}

/* What devices have drawn until now, while they had power. */
static void tell_spent(const struct ys_stage *stage)
{
    struct ys_take *take = stage->take;
    for (size_t i = 0; i < stage->scene->device_count; i++) {
        const struct ys_energy_given *energy = &stage->scene->actors[i].design->energy;
        const struct ys_activity activity = ys_device_activity(stage->actors[i].device);
        if (!energy->given || activity.seconds <= 0)
            continue;
        double mean_ua = ys_charge_mean_ua(&energy->figures, &activity);
        take->spent = ys_grow(take->spent, take->spent_count, sizeof *take->spent);
        take->spent[take->spent_count++] = (struct ys_spent){.who = stage_copy(stage->scene->actors[i].name.text),
                                                             .mean_ua = mean_ua,
                                                             .charge = ys_charge_of(&energy->figures, &activity),
                                                             .days = ys_charge_days(&energy->figures, mean_ua)};
    }
}

void ys_scene_play(const struct ys_scene *scene, uint64_t seed, bool packets, struct ys_recording *recording,
                   const struct ys_beside *beside, struct ys_take *take)
{
    struct ys_stage *stage = ys_stage_new(scene, take, seed, packets, recording, NULL, NULL);
    if (stage == NULL)
        return;
    if (beside != NULL)
        beside->begin(beside->context, stage);
    bool passed = ys_stage_do(stage, &scene->steps);
    if (beside != NULL)
        beside->end(beside->context, stage);
    bool within = image_tell_all(stage);
    if (passed && stage->audited != NULL)
        within = audited_tell(stage->audited) && within;
    if ((!passed || !within) && take->ending != YS_TAKE_BROKEN) {
        take->ending = YS_TAKE_FAILED;
        if (stage->packets != NULL)
            ys_packets_say(stage->packets, PACKETS_BEFORE, false, take_packet_line, take);
    }
    tell_spent(stage);
    take->simulated_s = (double)ys_world_now_ns(&stage->world) / (double)YS_NS_PER_S;
    ys_stage_free(stage);
}
