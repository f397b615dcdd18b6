/* Follows and audits the air and the interfaces, as if they were in a capture. Centrals may misbehave on purpose: only
 * violations by devices count. */
#include "scene/audited.h"

#include <stdlib.h>
#include <string.h>

#include "capture/audit/audit.h"
#include "design/model/memory.h"
#include "scene/acting.h"

struct audited {
    struct ys_stage *stage;
    struct ys_audit *audit;
    struct ys_follower *follower;
    struct ys_recording recording;
};

struct audited *audited_new(struct ys_stage *stage)
{
    struct audited *audited = ys_new(sizeof *audited);
    const struct ys_glossary glossary = ys_names_glossary(stage->names);
    audited->stage = stage;
    audited->audit = ys_audit_new(&glossary);
    audited->follower = audited->audit != NULL ? ys_follower_new(ys_audit_take, audited->audit) : NULL;
    if (audited->follower == NULL) {
        audited_free(audited);
        return NULL;
    }
    audited->recording.sink = (struct ys_record_sink){.take = ys_follower_take, .context = audited->follower};
    ys_world_record(&stage->world, &audited->recording);
    return audited;
}

void audited_free(struct audited *audited)
{
    if (audited == NULL)
        return;
    ys_follower_free(audited->follower);
    ys_audit_free(audited->audit);
    free(audited);
}

/* The device that has broken the rule; NULL: it was not a device. */
static const struct ys_actor *breaker(const struct ys_stage *stage, const struct ys_breach *breach)
{
    for (size_t i = 0; i < stage->scene->device_count; i++) {
        if (strcmp(stage->scene->actors[i].name.text, breach->who) == 0)
            return &stage->scene->actors[i];
    }
    return NULL;
}

static void add_step(struct ys_take *take, const struct ys_actor *actor, const struct ys_breach *breach)
{
    const struct ys_rule *rule = &ys_rules[breach->rule];
    take->steps = ys_grow(take->steps, take->step_count, sizeof *take->steps);
    take->steps[take->step_count++] = (struct ys_done_step){
        .began_ns = breach->at_ns,
        .ended_ns = breach->at_ns,
        .line = actor->place.line,
        .who = stage_copy(actor->name.text),
        .what = ys_new_text("keeps the rule %s", rule->name),
        .expected = ys_new_text("that %s (%s)", rule->demands, rule->clause),
        .came = ys_new_text("%s", breach->what),
    };
}

bool audited_tell(struct audited *audited)
{
    struct ys_stage *stage = audited->stage;
    bool told[YS_RULES] = {false};
    bool good = true;
    size_t count;
    ys_world_flush(&stage->world);
    ys_audit_end(audited->audit);
    const struct ys_breach *breaches = ys_audit_breaches(audited->audit, &count);
    for (size_t i = 0; i < count; i++) {
        const struct ys_actor *actor = ys_rules[breaches[i].rule].is_error ? breaker(stage, &breaches[i]) : NULL;
        if (actor == NULL || told[breaches[i].rule])
            continue;
        add_step(stage->take, actor, &breaches[i]);
        told[breaches[i].rule] = true;
        good = false;
    }
    return good;
}
