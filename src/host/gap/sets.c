/* Advertising sets: the commands and events of extended advertising, on which all advertising, scanning and connecting
 * of the host is then (Core 5.4 Vol 4 Part E 3.1.1: a controller takes one generation of them), and what is made of
 * a set for a controller that has none. A host that never uses them need not link it. */
#include <string.h>

#include <yarnswift/sets.h>

#include "host/core/clock.h"
#include "host/core/context.h"
#include "host/core/events.h"
#include "host/core/extras.h"
#include "host/core/hooks.h"
#include "host/core/state.h"
#include "host/gap/advertising.h"
#include "host/gap/central.h"
#include "host/gap/set_rows.h"
#include "wire/hci.h"
#include "wire/hci_extended.h"

/* What fits into the one packet of a connectable set: 255 bytes less the header with both addresses and the power. */
#define CONNECTABLE_MAX 238

/* whose turn it is */

static void work_on(struct ys_host *host, struct ys_set *set)
{
    const uint32_t mask = COMMANDS_OF_SET | BIT(COMMAND_ADVERTISING_OFF);
    host->set->due |= host->commands_due & mask;
    host->commands_due &= ~mask;
    host->set = set;
    host->commands_due |= set->due;
    set->due = 0;
}

static void tell_loss(struct ys_host *host)
{
    uint16_t lost = host->sets->lost;
    host->sets->lost = 0;
    if (lost != 0)
        ys_emit(host, &(struct ys_event){.kind = YS_EVENT_ADVERTISING_REDUCED, .u.lost = lost});
}

/* Sets that are to be switched off go first, as later commands may need that; then one set after the other. */
static void turn(struct ys_host *host)
{
    struct ys_set *set;
    struct ys_set *next = NULL;
    tell_loss(host);
    if ((host->commands_due & BIT(COMMAND_ADVERTISING_OFF)) != 0)
        return;
    for (uint8_t i = 0; (set = ys_set_at(host, i)) != NULL; i++) {
        if ((set->due & BIT(COMMAND_ADVERTISING_OFF)) != 0) {
            work_on(host, set);
            return;
        }
        if (set->due != 0 && next == NULL)
            next = set;
    }
    if (next != NULL && (host->commands_due & COMMANDS_OF_SET) == 0)
        work_on(host, next);
}

/* events */

/* Vol 4 Part E 7.7.65.18. */
static void terminated(struct ys_host *host, struct ys_reader *parameters)
{
    struct ys_hci_terminated event;
    ys_get_hci_terminated(parameters, &event);
    struct ys_set *set = ys_set_at(host, event.handle);
    if (!ys_reader_ok(parameters) || set == NULL)
        return;
    set->on = false;
    if (event.status == YS_HCI_OK)
        ys_set_connected(host, set);
    else if (set->advertising != NULL)
        ys_set_ended(host, set, event.status);
}

/* Vol 4 Part E 7.7.65.19. */
static void scan_request(struct ys_host *host, struct ys_reader *parameters)
{
    struct ys_event event = {.kind = YS_EVENT_SCAN_REQUEST, .set = ys_get_u8(parameters)};
    ys_get_hci_address(parameters, &event.u.scan_request);
    if (ys_reader_ok(parameters))
        ys_emit(host, &event);
}

static uint8_t report_type(uint16_t type)
{
    if ((type & YS_HCI_REPORT_RESPONSE) != 0)
        return YS_REPORT_RESPONSE;
    if ((type & YS_HCI_REPORT_DIRECTED) != 0)
        return YS_REPORT_DIRECTED;
    if ((type & YS_HCI_REPORT_CONNECTABLE) != 0)
        return YS_REPORT_CONNECTABLE;
    return (type & YS_HCI_REPORT_SCANNABLE) != 0 ? YS_REPORT_SCANNABLE : YS_REPORT_BEACON;
}

static bool is_1m(uint8_t phy)
{
    return phy == 0 || phy == YS_1M;
}

static uint8_t phy_from_hci(uint8_t phy)
{
    return phy == YS_HCI_PHY_CODED ? YS_CODED : phy == YS_HCI_PHY_2M ? YS_2M : YS_1M;
}

static bool continues(const struct ys_sets *sets, const struct ys_hci_extended_report *report)
{
    return sets->report_length > 0 && sets->report_set == report->set_id &&
           ys_address_is_equal(&sets->report_address, &report->address);
}

/* Reassembles reports: a report is passed on when it is complete, or can no longer become so. */
static void take_report(struct ys_host *host, const struct ys_hci_extended_report *report)
{
    struct ys_sets *sets = host->sets;
    bool more = (report->type & YS_HCI_REPORT_MORE) != 0;
    if (!continues(sets, report)) {
        sets->report_length = 0;
        sets->report_truncated = false;
    }
    size_t room = sizeof sets->report - sets->report_length;
    size_t length = report->length < room ? report->length : room;
    if (length > 0)
        memcpy(sets->report + sets->report_length, report->data, length);
    sets->report_length = (uint16_t)(sets->report_length + length);
    sets->report_truncated = sets->report_truncated || length < report->length;
    sets->report_address = report->address;
    sets->report_set = report->set_id;
    if (more)
        return;
    struct ys_address address = report->address;
    address.type &= 1; /* an identity is an address like others */
    const struct ys_extended_report extended = {
        .primary_phy = phy_from_hci(report->primary_phy),
        .phy = phy_from_hci(report->secondary_phy != 0 ? report->secondary_phy : report->primary_phy),
        .set_id = report->set_id,
        .power_dbm = report->power_dbm,
        .anonymous = report->address.type == YS_HCI_ANONYMOUS,
        .truncated = sets->report_truncated || (report->type & YS_HCI_REPORT_TRUNCATED) != 0,
    };
    bool legacy = (report->type & YS_HCI_REPORT_LEGACY) != 0;
    struct ys_event event = {
        .kind = YS_EVENT_REPORT,
        .u.report = {.address = address,
                     .type = report_type(report->type),
                     .rssi_dbm = report->rssi_dbm,
                     .length = sets->report_length,
                     .data = sets->report,
                     .extended = legacy ? NULL : &extended},
    };
    if (extended.anonymous)
        memset(&event.u.report.address, 0, sizeof event.u.report.address);
    sets->report_length = 0;
    sets->report_truncated = false;
    ys_central_report(host, &event);
}

/* Vol 4 Part E 7.7.65.13. */
static void set_reports(struct ys_host *host, struct ys_reader *parameters)
{
    uint8_t count = ys_get_u8(parameters);
    for (uint8_t i = 0; i < count; i++) {
        struct ys_hci_extended_report report;
        ys_get_hci_extended_report(parameters, &report);
        if (!ys_reader_ok(parameters))
            return;
        take_report(host, &report);
    }
}

static void set_event(struct ys_host *host, uint8_t event, struct ys_reader *parameters)
{
    if (event == YS_HCI_LE_ADVERTISING_SET_TERMINATED)
        terminated(host, parameters);
    else if (event == YS_HCI_LE_SCAN_REQUEST_RECEIVED)
        scan_request(host, parameters);
    else if (event == YS_HCI_LE_EXTENDED_ADVERTISING_REPORT)
        set_reports(host, parameters);
}

/* what can be */

static void features(struct ys_host *host, uint32_t bits)
{
    host->sets->active = (bits & YS_HCI_LE_FEATURE_EXTENDED) != 0;
    host->sets->count = !host->sets->active; /* 0: it is to be read */
    host->sets->data_max = YS_ADVERTISEMENT_MAX;
    if (host->sets->active)
        host->commands_due |= BIT(COMMAND_READ_SETS);
}

static bool options_are_valid(const struct ys_advertising *advertising)
{
    const struct ys_set_options *options = advertising->options;
    bool beacon = advertising->kind == YS_ADVERTISE_BEACON;
    bool scannable = advertising->kind == YS_ADVERTISE_SCANNABLE;
    if (options->set_id > 15 || (options->has_power && options->power_dbm > 20))
        return false;
    if (!options->extended)
        return !options->anonymous && !options->include_power && options->events == 0 && is_1m(options->primary_phy) &&
               is_1m(options->phy);
    /* Vol 4 Part E 7.8.53: fast directed packets are legacy ones; what is anonymous cannot be answered; a scannable set
     * says all in its response, others have none */
    return advertising->kind != YS_ADVERTISE_DIRECTED_FAST && (!options->anonymous || beacon) &&
           (is_1m(options->primary_phy) || options->primary_phy == YS_CODED) &&
           (is_1m(options->phy) || options->phy == YS_2M || options->phy == YS_CODED) &&
           (scannable ? advertising->data_length == 0 && advertising->response_length > 0
                      : advertising->response_length == 0);
}

static bool lengths_fit(const struct ys_host *host, const struct ys_advertising *advertising)
{
    size_t most = !ys_set_is_extended(advertising)                ? YS_ADVERTISEMENT_MAX
                  : advertising->kind == YS_ADVERTISE_CONNECTABLE ? CONNECTABLE_MAX
                                                                  : host->sets->data_max;
    return advertising->data_length <= most && advertising->response_length <= most &&
           (ys_set_is_extended(advertising) || advertising->interval_max_us <= 10240000);
}

/* Moves whole structures into an advertisement and then into its scan response, as long as they fit. Returns whether
 * all did. */
static bool move_structures(struct ys_sets *sets, const uint8_t *bytes, uint16_t length, bool response)
{
    struct ys_writer writers[2] = {
        ys_writer_to(sets->reduced_data[0], response ? 0 : YS_ADVERTISEMENT_MAX),
        ys_writer_to(sets->reduced_data[1], YS_ADVERTISEMENT_MAX),
    };
    struct ys_reader reader = ys_reader_of(bytes, length);
    struct ys_ad ad;
    bool all = true;
    while (ys_get_ad(&reader, &ad)) {
        bool moved = false;
        for (size_t i = 0; i < 2 && !moved; i++) {
            struct ys_writer trial = writers[i];
            if (ys_writer_length(&trial) + 2u + ad.length > trial.capacity)
                continue;
            ys_put_ad(&writers[i], ad.type, ad.data, ad.length);
            moved = true;
        }
        all = all && moved;
    }
    sets->reduced.data_length = (uint16_t)ys_writer_stored(&writers[0]);
    sets->reduced.response_length = (uint16_t)ys_writer_stored(&writers[1]);
    return all;
}

/* What a controller without sets can do of it. */
static void reduce(struct ys_sets *sets, const struct ys_advertising *advertising)
{
    const struct ys_set_options *options = advertising->options;
    uint16_t lost = 0;
    sets->reduced = *advertising;
    sets->reduced.options = NULL;
    if (options->has_power || options->include_power)
        lost |= YS_LOST_POWER;
    if (options->report_scan_requests)
        lost |= YS_LOST_REQUESTS;
    if (options->anonymous)
        lost |= YS_LOST_ANONYMITY;
    if (options->events != 0)
        lost |= YS_LOST_COUNT;
    if (options->extended && (!is_1m(options->primary_phy) || !is_1m(options->phy)))
        lost |= YS_LOST_PHY;
    if (options->extended) {
        bool scannable = advertising->kind == YS_ADVERTISE_SCANNABLE;
        if (!move_structures(sets, scannable ? advertising->response : advertising->data,
                             scannable ? advertising->response_length : advertising->data_length, false))
            lost |= YS_LOST_DATA;
        /* a beacon is never asked: data that is only in the response is lost */
        if (advertising->kind == YS_ADVERTISE_BEACON && sets->reduced.response_length > 0) {
            sets->reduced.response_length = 0;
            lost |= YS_LOST_DATA;
        }
        sets->reduced.data = sets->reduced_data[0];
        sets->reduced.response = sets->reduced_data[1];
    }
    if (sets->reduced.interval_max_us > 10240000) {
        sets->reduced.interval_max_us = 10240000;
        if (sets->reduced.interval_min_us > 10240000)
            sets->reduced.interval_min_us = 10240000;
        lost |= YS_LOST_INTERVAL;
    }
    sets->lost = lost;
}

static enum ys_result adapt(struct ys_host *host, const struct ys_advertising **advertising)
{
    struct ys_sets *sets = host->sets;
    if ((*advertising)->options != NULL && !options_are_valid(*advertising))
        return YS_ERROR_ARGUMENT;
    bool reduces = !sets->active && (*advertising)->options != NULL;
    if (!reduces)
        return lengths_fit(host, *advertising) ? YS_OK : YS_ERROR_ARGUMENT;
    if (*advertising == &sets->reduced) /* again what it was */
        return YS_OK;
    reduce(sets, *advertising);
    *advertising = &sets->reduced;
    return YS_OK;
}

static void sets_event(struct ys_host *host, uint8_t event, const struct ys_reader *parameters)
{
    struct ys_reader reader = *parameters;
    if (event != YS_HCI_LE_META || host->state != STATE_READY)
        return;
    uint8_t subevent = ys_get_u8(&reader);
    set_event(host, subevent, &reader);
}

static const struct ys_extra_calls sets_extra = {.kind = YS_EXTRA_SETS, .row = ys_set_row, .event = sets_event};
static const struct ys_sets_calls calls = {.turn = turn, .features = features, .adapt = adapt};

void ys_host_use_sets(struct ys_host *host, struct ys_sets *sets)
{
    memset(sets, 0, sizeof *sets);
    sets->calls = &calls;
    sets->count = 1;
    host->sets = sets;
    ys_extra_add(host, &sets->extra, &sets_extra, (uint32_t)YS_HCI_LE_EVENT_MASK_EXTENDED);
}

uint8_t ys_sets_count(const struct ys_host *host)
{
    return host->sets != NULL ? host->sets->count : 1;
}

enum ys_result ys_advertise_set(struct ys_host *host, uint8_t number, const struct ys_advertising *advertising)
{
    YS_NOT_IN_INTERRUPT(host, "ys_advertise_set");
    struct ys_set *set = ys_set_at(host, number);
    if (host->state != STATE_READY)
        return YS_ERROR_NOT_READY;
    return set == NULL ? YS_ERROR_NO_ROOM : ys_set_advertise(host, set, advertising);
}

enum ys_result ys_advertise_set_stop(struct ys_host *host, uint8_t number)
{
    YS_NOT_IN_INTERRUPT(host, "ys_advertise_set_stop");
    struct ys_set *set = ys_set_at(host, number);
    if (host->state != STATE_READY)
        return YS_ERROR_NOT_READY;
    if (set == NULL)
        return YS_ERROR_NO_ROOM;
    ys_set_stop(host, set);
    return YS_OK;
}
