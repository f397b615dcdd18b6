/* Being found: what firmware asks for becomes commands that are due, for each set until the controller has what is
 * wanted (Core 5.4 Vol 6 Part B 4.4.2, Vol 4 Part E 7.8.5 to 7.8.9). */
#include "host/gap/advertising.h"

#include <yarnswift/sets.h>

#include "host/core/bits.h"
#include "host/core/clock.h"
#include "host/core/connections.h"
#include "host/core/context.h"
#include "host/core/due.h"
#include "host/core/events.h"
#include "host/core/hooks.h"
#include "host/core/state.h"
#include "wire/hci.h"

/* Vol 3 Part C 9.3.3. */
static bool is_directed(const struct ys_advertising *advertising)
{
    return advertising->kind >= YS_ADVERTISE_DIRECTED;
}

/* Vol 3 Part C 9.3.2, 9.3.4. */
static bool is_connectable(uint8_t kind)
{
    return kind == YS_ADVERTISE_CONNECTABLE || kind >= YS_ADVERTISE_DIRECTED;
}

static bool payload_is_valid(const struct ys_advertising *advertising)
{
    if (is_directed(advertising) && (advertising->data_length > 0 || advertising->response_length > 0))
        return false;
    return (advertising->data_length == 0 || advertising->data != NULL) &&
           (advertising->response_length == 0 || advertising->response != NULL);
}

static bool advertising_is_valid(const struct ys_host *host, const struct ys_advertising *advertising)
{
    return ys_in_range(advertising->interval_min_us, 20000, advertising->interval_max_us) &&
           advertising->kind <= YS_ADVERTISE_DIRECTED_FAST && payload_is_valid(advertising) &&
           advertising->findable <= YS_FINDABLE_ALWAYS && advertising->channels <= 0x07 &&
           advertising->filter <= 0x03 && advertising->duration_ms <= INT32_MAX &&
           !(is_connectable(advertising->kind) && host->settings.address_type == YS_OWN_NON_RESOLVABLE);
}

/* What all controllers can do. */
static enum ys_result check_legacy(const struct ys_host *host, const struct ys_advertising *advertising)
{
    if (YS_DEBUG && advertising->options != NULL)
        ys_host_log(host, "this advertisement has options: call ys_host_use_sets before ys_host_start", 0);
    if (advertising->options != NULL)
        return YS_ERROR_UNSUPPORTED;
    return advertising->interval_max_us <= 10240000 && advertising->data_length <= YS_ADVERTISEMENT_MAX &&
                   advertising->response_length <= YS_ADVERTISEMENT_MAX
               ? YS_OK
               : YS_ERROR_ARGUMENT;
}

/* Sets: the first, and those of a host that uses more */

struct ys_set *ys_set_at(struct ys_host *host, uint8_t number)
{
    if (number == 0)
        return &host->first_set;
    return host->sets != NULL && number < host->sets->count ? &host->sets->others[number - 1] : NULL;
}

void ys_set_want(struct ys_host *host, struct ys_set *set, uint32_t commands)
{
    if (set == host->set)
        ys_commands_want(host, commands);
    else
        set->due |= commands;
    ys_wake(host);
}

static void set_drop(struct ys_host *host, struct ys_set *set, uint32_t commands)
{
    if (set == host->set)
        host->commands_due &= ~commands;
    set->due &= ~commands;
}

/* Whether a set is advertised now, and as which kind: without room for a connection, it must not be connectable. */
static bool is_to_be_found(struct ys_host *host, struct ys_set *set)
{
    const struct ys_advertising *advertising = set->advertising;
    uint8_t kind = advertising->kind;
    bool fits = !is_connectable(kind) || ys_connection_free(host) != NULL;
    if (!fits && (advertising->findable != YS_FINDABLE_ALWAYS || is_directed(advertising)))
        return false;
    if (!fits)
        kind = YS_ADVERTISE_SCANNABLE;
    if (kind != set->kind)
        ys_set_want(host, set, BIT(COMMAND_ADVERTISING_PARAMETERS));
    set->kind = kind;
    return true;
}

/* Sends the commands that bring the controller to the wanted state. Parameters can only be set while advertising is off
 * (Vol 4 Part E 7.8.5). */
static void restart_set(struct ys_host *host, struct ys_set *set)
{
    if (host->state != STATE_READY || set->advertising == NULL)
        return;
    bool wanted = is_to_be_found(host, set);
    uint32_t due = set == host->set ? host->commands_due : set->due;
    bool changes = (due & COMMANDS_OF_SET & ~BIT(COMMAND_ADVERTISING_ON)) != 0;
    if (set->on && (changes || !wanted))
        ys_set_want(host, set, BIT(COMMAND_ADVERTISING_OFF));
    if (!wanted)
        set_drop(host, set, BIT(COMMAND_ADVERTISING_ON));
    else if (!set->on || changes)
        ys_set_want(host, set, BIT(COMMAND_ADVERTISING_ON));
}

void ys_gap_restart_advertising(struct ys_host *host)
{
    struct ys_set *set;
    for (uint8_t i = 0; (set = ys_set_at(host, i)) != NULL; i++)
        restart_set(host, set);
}

void ys_gap_renew(struct ys_host *host)
{
    struct ys_set *set;
    uint32_t scan = host->commands_due & (BIT(COMMAND_SCAN_OFF) | BIT(COMMAND_SCAN_ON));
    if (host->scanning_on && scan != BIT(COMMAND_SCAN_OFF)) /* else it is being stopped */
        ys_commands_want(host, BIT(COMMAND_SCAN_OFF) | BIT(COMMAND_SCAN_PARAMETERS) | BIT(COMMAND_SCAN_ON));
    for (uint8_t i = 0; (set = ys_set_at(host, i)) != NULL; i++) {
        if (set->advertising == NULL)
            continue;
        ys_set_want(host, set, BIT(COMMAND_ADVERTISING_PARAMETERS));
        restart_set(host, set);
    }
}

void ys_set_stop(struct ys_host *host, struct ys_set *set)
{
    set_drop(host, set, COMMANDS_OF_SET);
    if (set->advertising != NULL)
        ys_set_want(host, set, BIT(COMMAND_ADVERTISING_OFF));
    set->advertising = NULL;
    set->before = NULL;
}

static void emit_of_set(struct ys_host *host, const struct ys_set *set, struct ys_event *event)
{
    while (ys_set_at(host, event->set) != set)
        event->set++;
    ys_emit(host, event);
}

void ys_set_ended(struct ys_host *host, struct ys_set *set, uint8_t reason)
{
    ys_set_stop(host, set);
    emit_of_set(host, set, &(struct ys_event){.kind = YS_EVENT_ADVERTISING_ENDED, .reason = reason});
}

uint32_t ys_gap_run(struct ys_host *host, uint32_t now_ms)
{
    uint32_t wait = YS_FOREVER;
    struct ys_set *set;
    for (uint8_t i = 0; (set = ys_set_at(host, i)) != NULL; i++) {
        if (set->advertising == NULL || set->advertising->duration_ms == 0)
            continue;
        uint32_t left = ys_until_ms(now_ms, set->until_ms);
        if (left == 0)
            ys_set_ended(host, set, YS_HCI_ADVERTISING_TIMEOUT);
        else if (left < wait)
            wait = left;
    }
    return wait;
}

static void begin_set(struct ys_host *host, struct ys_set *set, const struct ys_advertising *advertising)
{
    set->advertising = advertising;
    set->until_ms = ys_now_ms(host) + advertising->duration_ms;
    set->kind = advertising->kind;
    set->sent = 0;
    ys_set_want(host, set,
                BIT(COMMAND_ADVERTISING_PARAMETERS) | BIT(COMMAND_ADVERTISING_DATA) | BIT(COMMAND_SCAN_RESPONSE_DATA));
    if (set->known) /* what it has may not go with what it becomes */
        ys_set_want(host, set, BIT(COMMAND_REMOVE_SET));
    restart_set(host, set);
}

enum ys_result ys_set_check(struct ys_host *host, const struct ys_advertising **advertising)
{
    if (host->state != STATE_READY)
        return YS_ERROR_NOT_READY;
    if (*advertising == NULL || !advertising_is_valid(host, *advertising))
        return YS_ERROR_ARGUMENT;
    return host->sets != NULL ? host->sets->calls->adapt(host, advertising) : check_legacy(host, *advertising);
}

enum ys_result ys_set_advertise(struct ys_host *host, struct ys_set *set, const struct ys_advertising *advertising)
{
    enum ys_result result = ys_set_check(host, &advertising);
    if (result != YS_OK)
        return result;
    if (set->on)
        set->before = set->advertising;
    begin_set(host, set, advertising);
    return YS_OK;
}

/* If the controller refuses a change, the device keeps its earlier advertising. */
void ys_set_failed(struct ys_host *host, const char *name, uint8_t status)
{
    struct ys_set *set = host->set;
    const struct ys_advertising *before = set->before;
    set_drop(host, set, COMMANDS_OF_SET);
    set->before = NULL;
    if (before != NULL)
        begin_set(host, set, before);
    emit_of_set(host, set,
                &(struct ys_event){.kind = YS_EVENT_ADVERTISING_FAILED, .u.start = {.step = name, .status = status}});
}

/* Vol 3 Part C 9.1.1. */
enum ys_result ys_advertise(struct ys_host *host, const struct ys_advertising *advertising)
{
    YS_NOT_IN_INTERRUPT(host, "ys_advertise");
    return ys_set_advertise(host, &host->first_set, advertising);
}

enum ys_result ys_advertise_stop(struct ys_host *host)
{
    YS_NOT_IN_INTERRUPT(host, "ys_advertise_stop");
    if (host->state != STATE_READY)
        return YS_ERROR_NOT_READY;
    ys_set_stop(host, &host->first_set);
    return YS_OK;
}

void ys_set_connected(struct ys_host *host, struct ys_set *set)
{
    set->on = false; /* Vol 4 Part E 7.8.9: a connection ends connectable advertising */
    if (set->advertising != NULL && set->advertising->findable == YS_FINDABLE_UNTIL_CONNECTED)
        ys_set_ended(host, set, YS_HCI_OK);
    ys_gap_restart_advertising(host);
}
