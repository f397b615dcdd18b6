/* Another payload for an advertisement that is on the air: it goes on in its rhythm, since the controller takes data
 * while it advertises (Core 5.4 Vol 4 Part E 7.8.7, 7.8.8, 7.8.54, 7.8.55). */
#include "host/core/context.h"
#include "host/core/due.h"
#include "host/core/hooks.h"
#include "host/core/state.h"
#include "host/gap/advertising.h"

/* Whether two advertisements are the same except for the payload. */
static bool are_alike(const struct ys_advertising *one, const struct ys_advertising *other)
{
    return one->interval_min_us == other->interval_min_us && one->interval_max_us == other->interval_max_us &&
           one->kind == other->kind && one->findable == other->findable && one->channels == other->channels &&
           one->duration_ms == other->duration_ms && one->filter == other->filter && one->options == other->options &&
           ys_address_is_equal(&one->peer, &other->peer);
}

/* What of it the controller wants to have (Vol 4 Part E 7.8.7, 7.8.8, 7.8.54, 7.8.55): a beacon has no response, and an
 * extended set only one of the two. */
static uint32_t commands_of(const struct ys_advertising *advertising)
{
    const uint32_t data = BIT(COMMAND_ADVERTISING_DATA);
    const uint32_t response = BIT(COMMAND_SCAN_RESPONSE_DATA);
    if (ys_set_is_extended(advertising))
        return advertising->kind == YS_ADVERTISE_SCANNABLE ? response : data;
    return advertising->kind == YS_ADVERTISE_BEACON ? data : data | response;
}

enum ys_result ys_advertise_payload(struct ys_host *host, uint8_t number, const struct ys_advertising *advertising)
{
    YS_NOT_IN_INTERRUPT(host, "ys_advertise_payload");
    struct ys_set *set = ys_set_at(host, number);
    if (host->state != STATE_READY)
        return YS_ERROR_NOT_READY;
    if (set == NULL)
        return YS_ERROR_NO_ROOM;
    bool reduces = advertising != NULL && advertising->options != NULL && host->sets != NULL && !host->sets->active;
    if (advertising == NULL || set->advertising == NULL || (!reduces && !are_alike(set->advertising, advertising)))
        return YS_ERROR_ARGUMENT;
    /* Vol 4 Part E 7.8.54, 7.8.55: a set that is on takes its data only in one command */
    bool whole = !ys_set_is_extended(advertising) ||
                 (advertising->data_length <= FRAGMENT_MAX && advertising->response_length <= FRAGMENT_MAX);
    if (!set->on || reduces || !whole)
        return ys_set_advertise(host, set, advertising);
    enum ys_result result = ys_set_check(host, &advertising);
    if (result != YS_OK)
        return result;
    set->advertising = advertising;
    set->sent = 0;
    ys_set_want(host, set, commands_of(advertising));
    return YS_OK;
}
