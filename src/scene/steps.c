/* The steps of a scene, as they are done. Of each kind knows the table of kinds that the stage has. */
#include "scene/steps.h"

#include "design/model/memory.h"
#include "scene/acting.h"
#include "scene/scene_words.h"

#define STEPS_MOST 20000

static void note(const struct act *act)
{
    const struct ys_stage *stage = act->stage;
    struct ys_take *take = stage->take;
    char what[400];
    bool groups =
        act->step->verb == YS_VERB_AT_ONCE || act->step->verb == YS_VERB_REPEAT || act->step->verb == YS_VERB_STEPS;
    if (groups || (take->step_count >= STEPS_MOST && act->state == ACT_PASSED))
        return;
    ys_step_say(act->step, what, sizeof what);
    take->steps = ys_grow(take->steps, take->step_count, sizeof *take->steps);
    take->steps[take->step_count++] = (struct ys_done_step){
        .began_ns = act->began_ns,
        .ended_ns = ys_world_now_ns(&stage->world),
        .line = act->step->place.line,
        .who = stage_copy(act->step->who != YS_NOBODY ? act_who(act)->actor->name.text : "scene"),
        .what = stage_copy(what),
        .expected = stage_copy(act->expected),
        .came = stage_copy(act->came),
        .passed = act->state == ACT_PASSED,
    };
}

static struct act *begin_act(struct ys_stage *stage, const struct ys_step *step, uint64_t log_from)
{
    struct act *act = ys_new(sizeof *act);
    act->stage = stage;
    act->step = step;
    act->began_ns = ys_world_now_ns(&stage->world);
    act->until_ns = UINT64_MAX;
    act->log_from = log_from;
    act->child_log_from = log_from;
    if (step->who != YS_NOBODY)
        stage->at = step->place;
    stage->kinds[step->verb].begin(act);
    return act;
}

/* A request that was given up may still be answered, into the memory of its act; also those of a group that has failed
 * while others of it were still at work. */
static bool may_be_answered(const struct act *act)
{
    if (act->task.central != NULL && !act->task.good)
        return true;
    for (size_t i = 0; i < act->child_count; i++) {
        if (may_be_answered(act->children[i]))
            return true;
    }
    return false;
}

static void finish_act(struct act *act)
{
    struct ys_stage *stage = act->stage;
    note(act);
    if (may_be_answered(act)) {
        act->next = stage->kept;
        stage->kept = act;
    } else {
        act_free(act);
    }
}

/* Steps that let time pass: earlier lines of the log meet no expectation after them. */
static bool is_wait(const struct ys_step *step)
{
    return step->verb == YS_VERB_WAIT || step->for_us.given;
}

static void add_child(struct act *act, const struct ys_step *step)
{
    uint64_t line_count = act->stage->take->line_count;
    act->children = ys_grow(act->children, act->child_count, sizeof(struct act *));
    act->children[act->child_count++] = begin_act(act->stage, step, act->child_log_from);
    if (is_wait(step) && act->step->verb != YS_VERB_AT_ONCE)
        act->child_log_from = line_count;
}

static void poll_act(struct act *act)
{
    if (act->state == ACT_RUNS)
        act->stage->kinds[act->step->verb].poll(act);
}

/* Looks at the current child, and goes on to the next as long as children finish at once. */
void poll_steps(struct act *act)
{
    const struct ys_steps *steps = &act->step->steps;
    uint64_t rounds = act->step->verb == YS_VERB_REPEAT ? act->step->repeat.number : 1;
    while (act->state == ACT_RUNS) {
        if (act->child_count == 0 && act->at == steps->count) {
            act->at = 0;
            act->rounds++;
        }
        if (act->child_count == 0 && (act->rounds == rounds || steps->count == 0 || act->stage->ended)) {
            act_end(act, true, "%s", "");
            return;
        }
        if (act->child_count == 0)
            add_child(act, &steps->items[act->at++]);
        struct act *child = act->children[0];
        poll_act(child);
        act->until_ns = child->until_ns;
        if (child->state == ACT_RUNS)
            return;
        if (child->state == ACT_FAILED)
            act_end(act, false, "%s", "");
        finish_act(child);
        act->child_count = 0;
    }
}

/* Whether only steps are left that last as long as the others. */
static bool only_watch(const struct act *act)
{
    for (size_t i = 0; i < act->child_count; i++) {
        if (!act->children[i]->step->meanwhile)
            return false;
    }
    return true;
}

void poll_at_once(struct act *act)
{
    const struct ys_steps *steps = &act->step->steps;
    while (act->at < steps->count)
        add_child(act, &steps->items[act->at++]);
    act->until_ns = UINT64_MAX;
    for (size_t i = 0; i < act->child_count;) {
        struct act *child = act->children[i];
        poll_act(child);
        if (child->state == ACT_RUNS) {
            act->until_ns = child->until_ns < act->until_ns ? child->until_ns : act->until_ns;
            i++;
            continue;
        }
        if (child->state == ACT_FAILED)
            act_end(act, false, "%s", "");
        finish_act(child);
        act->children[i] = act->children[--act->child_count];
        if (act->state == ACT_FAILED) /* what the others were doing is over, too */
            return;
        i = 0; /* those before it may wait for what it did */
    }
    if (!only_watch(act) && !act->stage->ended)
        return;
    while (act->child_count > 0 && only_watch(act)) { /* their time is over */
        struct act *child = act->children[--act->child_count];
        child->until_ns = ys_world_now_ns(&act->stage->world);
        poll_act(child);
        finish_act(child);
    }
    act_end(act, true, "%s", "");
}

bool do_steps(struct ys_stage *stage, const struct ys_steps *steps)
{
    const struct ys_step all = {.verb = YS_VERB_STEPS, .steps = *steps, .who = YS_NOBODY};
    struct act *act = begin_act(stage, &all, 0);
    stage->ended = false;
    for (;;) {
        stage->world.stirred = false;
        poll_act(act);
        if (act->state != ACT_RUNS || ys_clock_stands(stage->world.clock))
            break;
        uint64_t now_ns = ys_world_now_ns(&stage->world);
        uint64_t wait_ns = act->until_ns > now_ns ? act->until_ns - now_ns : 0;
        if (!stage->world.stirred)
            (void)ys_world_run_until(&stage->world, &stage->world.stirred,
                                     wait_ns < YS_NS_PER_S ? wait_ns : YS_NS_PER_S);
    }
    bool passed = act->state == ACT_PASSED;
    act->next = stage->kept; /* what it began and did not end may still go on */
    act->step = NULL;
    stage->kept = act;
    return passed;
}
