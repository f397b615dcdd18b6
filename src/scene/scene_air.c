/* What comes of what a scene says of the air. */
#include "scene/scene_air.h"

#include <math.h>

#define BURST_US_MOST      1000000
#define INTERVAL_US_LEAST  20000
#define INTERVAL_US_MOST   10240000
#define COHERENCE_US_LEAST 100
#define COHERENCE_US_MOST  UINT64_C(3600000000)

static void error(struct ys_scene *scene, struct ys_place place, const char *text)
{
    ys_findings_add(&scene->findings, YS_ERROR, "air", place, "%s", text);
}

/* What the scene says of the air, over the defaults. */
static void settle_disturber(struct ys_scene *scene, struct ys_heard *heard)
{
    if (heard->kind == 0)
        return;
    struct ys_disturber *is = &heard->is;
    *is = ys_disturber_of((enum ys_disturber_kind)(heard->kind - 1));
    bool network = is->kind == YS_DISTURBER_NETWORK;
    bool advertisers = is->kind == YS_DISTURBER_ADVERTISERS;
    if (!network && (heard->channel.given || heard->burst_us.given || !isnan(heard->duty)))
        error(scene, heard->place, "only a network has a channel, a duty and a burst: leave them out");
    if (!advertisers && (heard->count.given || heard->interval_us.given || !isnan(heard->around_m)))
        error(scene, heard->place, "only advertisers have count, interval and around: leave them out");
    if (heard->channel.given)
        is->channel = (uint8_t)heard->channel.number;
    if (!isnan(heard->duty))
        is->duty = heard->duty;
    if (heard->burst_us.given)
        is->burst_us = (uint32_t)heard->burst_us.number;
    if (heard->burst_us.given && (heard->burst_us.number < 1 || heard->burst_us.number > BURST_US_MOST))
        error(scene, heard->place, "a burst lasts 1 us to 1 s");
    if (!isnan(heard->power_dbm))
        is->power_dbm = (int8_t)lround(heard->power_dbm);
    if (heard->count.given)
        is->count = (uint32_t)heard->count.number;
    if (heard->interval_us.given)
        is->interval_us = (uint32_t)heard->interval_us.number;
    if (heard->interval_us.given &&
        (heard->interval_us.number < INTERVAL_US_LEAST || heard->interval_us.number > INTERVAL_US_MOST))
        error(scene, heard->place, "advertisers have an interval of 20 ms to 10.24 s");
    if (!isnan(heard->around_m))
        is->around_m = heard->around_m;
    if (heard->at.given) {
        is->x_m = heard->at.x_m;
        is->y_m = heard->at.y_m;
    }
    if (!advertisers && scene->air_said <= YS_AIR_PERFECT)
        error(scene, heard->place, "perfect air has no disturbers: use air: outdoors, or air: hall");
}

/* Perfect air is too kind to a crowd: packets collide only at a receiver of both. By default, a scene with more than
 * two actors plays outdoors, and packets that overlap are lost. */
static struct ys_air air_of(const struct ys_scene *scene)
{
    bool crowd = scene->actor_count > 2;
    for (size_t i = 0; i < scene->disturber_count; i++)
        crowd = crowd || scene->disturbers[i].kind - 1 == YS_DISTURBER_ADVERTISERS;
    struct ys_air air = ys_air_of(scene->air_said);
    if (scene->air_said == 0 && crowd)
        air = (struct ys_air){.kind = YS_AIR_OPEN, .reception = YS_RECEPTION_LEVELS};
    return air;
}

void ys_scene_settle_air(struct ys_scene *scene)
{
    struct ys_air said = air_of(scene);
    uint64_t neighbours = 0;
    if (scene->reception > 0)
        said.reception = (enum ys_reception_kind)(scene->reception - 1);
    if (scene->fading > 0) {
        said.fading = (enum ys_fading)(scene->fading - 1);
        said.rician_k_db = scene->has_factor ? scene->factor_db : 6;
        said.coherence_us = (uint32_t)scene->coherence_us.number;
    }
    bool perfect = scene->air_said <= YS_AIR_PERFECT;
    if (perfect && (scene->fading > 0 || scene->reception > 0))
        error(scene, scene->fading > 0 ? scene->fading_place : (struct ys_place){.line = 1, .column = 1},
              "perfect air has no reception or fading: use air: outdoors, or air: hall");
    else if (scene->fading > 1 && said.reception == YS_RECEPTION_LEVELS)
        error(scene, scene->fading_place, "reception by levels knows no fading: leave one of the two out");
    else if (scene->has_factor && said.fading != YS_FADING_RICIAN)
        error(scene, scene->fading_place, "only rician fading has a steady path, and a factor");
    else if (scene->coherence_us.given &&
             (scene->coherence_us.number < COHERENCE_US_LEAST || scene->coherence_us.number > COHERENCE_US_MOST))
        error(scene, scene->fading_place, "fading stays as it is for 100 us to an hour");
    scene->air = said;
    if (scene->disturber_count > YS_DISTURBERS_MOST)
        error(scene, scene->disturbers[0].place, "there may be 64 disturbers");
    for (size_t i = 0; i < scene->disturber_count; i++) {
        settle_disturber(scene, &scene->disturbers[i]);
        neighbours += scene->disturbers[i].is.count;
    }
    if (neighbours > YS_NEIGHBOURS_MOST)
        error(scene, scene->disturbers[0].place, "there may be 100,000 advertisers in all");
}
