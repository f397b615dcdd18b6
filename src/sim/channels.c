/* Which data channels a connection uses (Core 5.4 Vol 6 Part B 4.5.8.1): those that the host of the central allows and,
 * if the controller adapts, that have not done badly. A channel that was left out for that is tried again later. */
#include "sim/channels.h"

#include <string.h>

#include "sim/controller_state.h"
#include "sim/procedures_order.h"

/* The interval in events at which a central evaluates a channel; and after how many evaluations old results are
 * dropped. */
#define LOOK_EVENTS  64
#define FORGET_LOOKS 32

/* Of so many tries more than half must have failed. */
#define TRIES_LEAST 4

/* Fewer channels than these are never left. */
#define CHANNELS_LEAST 8

/* The least number of used channels, whatever the host says (Vol 6 Part B 1.4.1, 4.5.8.1). */
#define CHANNELS_USED_LEAST 2

static bool is_bad(const struct channel_quality *quality)
{
    return quality->tries >= TRIES_LEAST && 2 * quality->failures > quality->tries;
}

void channels_count(struct link *link, bool good)
{
    struct channel_quality *quality = &link->quality[link->channel];
    if (!link->central || quality->tries == UINT8_MAX)
        return;
    quality->tries++;
    if (!good)
        quality->failures++;
}

void channels_allowed(const struct ys_controller *controller, uint8_t map[5])
{
    memcpy(map, controller->channel_map, 5);
    for (unsigned channel = 0; ys_link_channel_count(map) < CHANNELS_USED_LEAST; channel++)
        map[channel / 8] = (uint8_t)(map[channel / 8] | 1u << channel % 8);
}

/* Vol 6 Part B 4.5.8.1. */
void channels_map(const struct link *link, uint8_t map[5])
{
    channels_allowed(link->controller, map);
    if (!link->controller->settings.adapts)
        return;
    for (size_t i = 0; i < DATA_CHANNELS; i++) {
        if (is_bad(&link->quality[i]))
            map[i / 8] = (uint8_t)(map[i / 8] & ~(1u << i % 8));
    }
    if (ys_link_channel_count(map) < CHANNELS_LEAST)
        channels_allowed(link->controller, map);
}

static void look(struct link *link)
{
    uint8_t map[5];
    channels_map(link, map);
    if (memcmp(map, link->procedures.channel_map, sizeof map) == 0)
        return;
    memcpy(link->procedures.channel_map, map, sizeof map);
    procedures_want(link, PROCEDURE_CHANNELS);
}

void channels_consider(struct link *link)
{
    if (!link->central || !link->controller->settings.adapts || ++link->quality_events % LOOK_EVENTS != 0)
        return;
    if (link->quality_events % (LOOK_EVENTS * FORGET_LOOKS) == 0)
        memset(link->quality, 0, sizeof link->quality);
    look(link);
}

void channels_changed(struct ys_controller *controller)
{
    for (size_t i = 0; i < controller->link_count; i++) {
        if (controller->links[i]->used && controller->links[i]->central)
            look(controller->links[i]);
    }
}
