/* Advertising sets: the commands and events of extended advertising, on which all advertising, scanning and connecting
 * of the host is then (Core 5.4 Vol 4 Part E 3.1.1: a controller takes one generation of them), and what is made of
 * a set for a controller that has none. A host that never uses them need not link it. */
#include <string.h>

#include <yarnswift/sets.h>

#include "host/core/clock.h"
#include "host/core/context.h"
#include "host/core/due.h"
#include "host/core/events.h"
#include "host/core/extras.h"
#include "host/core/hooks.h"
#include "host/core/state.h"
#include "host/gap/advertising.h"
#include "host/gap/central.h"
#include "host/gap/connecting.h"
#include "host/hci/start.h"
#include "wire/hci.h"
#include "wire/hci_extended.h"

/* Directed, high duty cycle: 1.28 s, in steps of 10 ms. */
#define FAST_DURATION 128

/* The fragment of a payload that goes into one command. */
#define FRAGMENT_MAX (COMMAND_MAX - 4)

/* What fits into the one packet of a connectable set: 255 bytes less the header with both addresses and the power. */
#define CONNECTABLE_MAX 238

static uint8_t number_of(struct ys_host *host, const struct ys_set *set)
{
    uint8_t number = 0;
    while (ys_set_at(host, number) != set)
        number++;
    return number;
}

static uint8_t phy_to_hci(uint8_t phy)
{
    return (uint8_t)(phy + 1);
}

static bool is_extended(const struct ys_advertising *advertising)
{
    return advertising->options != NULL && advertising->options->extended;
}

/* What a set is to the controller: by its kind now, which is not always the one that it was given. */
static uint16_t properties_of(const struct ys_set *set)
{
    static const uint8_t kinds[] = {
        [YS_ADVERTISE_CONNECTABLE] = YS_HCI_SET_CONNECTABLE | YS_HCI_SET_SCANNABLE,
        [YS_ADVERTISE_SCANNABLE] = YS_HCI_SET_SCANNABLE,
        [YS_ADVERTISE_BEACON] = 0,
        [YS_ADVERTISE_DIRECTED] = YS_HCI_SET_CONNECTABLE | YS_HCI_SET_DIRECTED,
        [YS_ADVERTISE_DIRECTED_FAST] = YS_HCI_SET_CONNECTABLE | YS_HCI_SET_DIRECTED | YS_HCI_SET_FAST,
    };
    const struct ys_set_options *options = set->advertising->options;
    uint16_t properties = kinds[set->kind];
    if (!is_extended(set->advertising))
        return (uint16_t)(properties | YS_HCI_SET_LEGACY);
    /* an extended one cannot be both; and while no connection fits, one with data is a beacon */
    if (set->kind == YS_ADVERTISE_CONNECTABLE ||
        (set->kind == YS_ADVERTISE_SCANNABLE && set->advertising->kind != YS_ADVERTISE_SCANNABLE))
        properties &= (uint16_t)~YS_HCI_SET_SCANNABLE;
    if (options->anonymous)
        properties |= YS_HCI_SET_ANONYMOUS;
    if (options->tells_power)
        properties |= YS_HCI_SET_POWER;
    return properties;
}

/* commands */

static void complete_sets(struct ys_host *host, struct ys_reader *parameters)
{
    uint8_t count = ys_get_u8(parameters);
    host->sets->count = count < YS_SETS ? count : YS_SETS;
    if (count == 0)
        ys_start_failed(host, YS_EVENT_START_FAILED, "the controller has no advertising sets", YS_HCI_UNSUPPORTED);
}

static void complete_data_max(struct ys_host *host, struct ys_reader *parameters)
{
    host->sets->data_max = ys_get_u16(parameters);
}

static int8_t power_of(const struct ys_set_options *options)
{
    if (options->has_power)
        return options->power_dbm;
    return YS_HCI_POWER_NONE;
}

static void compose_parameters(struct ys_host *host, struct ys_writer *writer)
{
    static const struct ys_set_options none = {.extended = false};
    const struct ys_advertising *advertising = host->set->advertising;
    const struct ys_set_options *options = advertising->options != NULL ? advertising->options : &none;
    bool extended = options->extended;
    ys_put_hci_set(writer, &(struct ys_hci_set){
                               .handle = number_of(host, host->set),
                               .properties = properties_of(host->set),
                               .interval_min = advertising->interval_min_us / ADVERTISING_STEP_US,
                               .interval_max = advertising->interval_max_us / ADVERTISING_STEP_US,
                               .channels = advertising->channels != 0 ? advertising->channels : 0x07,
                               .own_address_type = ys_own_type(host),
                               .peer = advertising->peer,
                               .filter = advertising->filter,
                               .power_dbm = power_of(options),
                               .primary_phy = phy_to_hci(extended ? options->primary_phy : YS_SET_1M),
                               .secondary_phy = phy_to_hci(extended ? options->phy : YS_SET_1M),
                               .set_id = options->set_id,
                               .tell_requests = options->tells_requests,
                           });
}

/* Whether the data, or the response, of a set is given to the controller. */
static bool has_payload(const struct ys_set *set, bool response)
{
    uint16_t properties = properties_of(set);
    bool scannable = (properties & YS_HCI_SET_SCANNABLE) != 0;
    bool legacy = (properties & YS_HCI_SET_LEGACY) != 0;
    if (response)
        return scannable;
    return legacy ? (properties & YS_HCI_SET_DIRECTED) == 0 : !scannable;
}

static void compose_remove(struct ys_host *host, struct ys_writer *writer)
{
    ys_put_u8(writer, number_of(host, host->set));
}

static void complete_remove(struct ys_host *host, struct ys_reader *parameters)
{
    (void)parameters;
    host->set->known = false;
}

/* With its parameters the controller knows the set: what it takes of the rest is due. */
static void complete_parameters(struct ys_host *host, struct ys_reader *parameters)
{
    (void)parameters;
    host->set->sent = 0;
    host->set->known = true;
    if (host->set->advertising == NULL) /* stopped meanwhile */
        return;
    if (ys_own_type(host) == YS_ADDRESS_RANDOM)
        ys_commands_want(host, BIT(COMMAND_SET_ADDRESS));
    host->commands_due &= ~(BIT(COMMAND_ADVERTISING_DATA) | BIT(COMMAND_SCAN_RESPONSE_DATA));
    if (has_payload(host->set, false))
        ys_commands_want(host, BIT(COMMAND_ADVERTISING_DATA));
    if (has_payload(host->set, true))
        ys_commands_want(host, BIT(COMMAND_SCAN_RESPONSE_DATA));
}

static void compose_set_address(struct ys_host *host, struct ys_writer *writer)
{
    ys_put_u8(writer, number_of(host, host->set));
    ys_put_address(writer, &host->address);
}

static void compose_fragment(struct ys_host *host, struct ys_writer *writer, const uint8_t *bytes, uint16_t whole)
{
    uint16_t left = (uint16_t)(whole - host->set->sent);
    uint8_t length = (uint8_t)(left < FRAGMENT_MAX ? left : FRAGMENT_MAX);
    bool first = host->set->sent == 0;
    bool last = length == left;
    ys_put_hci_fragment(writer, &(struct ys_hci_fragment){
                                    .handle = number_of(host, host->set),
                                    .operation = (uint8_t)(first && last ? YS_HCI_FRAGMENT_WHOLE
                                                           : first       ? YS_HCI_FRAGMENT_FIRST
                                                           : last        ? YS_HCI_FRAGMENT_LAST
                                                                         : YS_HCI_FRAGMENT_MIDDLE),
                                    .length = length,
                                    .data = length > 0 ? bytes + host->set->sent : NULL,
                                });
    host->set->sent = (uint16_t)(host->set->sent + length);
}

static void compose_data(struct ys_host *host, struct ys_writer *writer)
{
    compose_fragment(host, writer, host->set->advertising->data, host->set->advertising->data_length);
}

static void compose_response(struct ys_host *host, struct ys_writer *writer)
{
    compose_fragment(host, writer, host->set->advertising->response, host->set->advertising->response_length);
}

/* The next fragment is due, unless all has become different meanwhile. */
static void fragment_sent(struct ys_host *host, uint16_t whole, uint32_t command)
{
    if ((host->commands_due & BIT(COMMAND_ADVERTISING_PARAMETERS)) != 0)
        return;
    if (host->set->sent < whole)
        ys_commands_want(host, command);
    else
        host->set->sent = 0;
}

static void complete_data(struct ys_host *host, struct ys_reader *parameters)
{
    (void)parameters;
    if (host->set->advertising != NULL)
        fragment_sent(host, host->set->advertising->data_length, BIT(COMMAND_ADVERTISING_DATA));
}

static void complete_response(struct ys_host *host, struct ys_reader *parameters)
{
    (void)parameters;
    if (host->set->advertising != NULL)
        fragment_sent(host, host->set->advertising->response_length, BIT(COMMAND_SCAN_RESPONSE_DATA));
}

static void put_enable(struct ys_writer *writer, bool on, const struct ys_hci_set_on *set)
{
    ys_put_u8(writer, on);
    ys_put_u8(writer, 1);
    ys_put_hci_set_on(writer, set);
}

static void compose_on(struct ys_host *host, struct ys_writer *writer)
{
    const struct ys_advertising *advertising = host->set->advertising;
    put_enable(writer, true,
               &(struct ys_hci_set_on){
                   .handle = number_of(host, host->set),
                   .duration = host->set->kind == YS_ADVERTISE_DIRECTED_FAST ? FAST_DURATION : 0,
                   .events = is_extended(advertising) ? advertising->options->events : 0,
               });
}

static void compose_off(struct ys_host *host, struct ys_writer *writer)
{
    put_enable(writer, false, &(struct ys_hci_set_on){.handle = number_of(host, host->set)});
}

static void complete_on(struct ys_host *host, struct ys_reader *parameters)
{
    (void)parameters;
    host->set->on = true;
    host->set->before = NULL;
}

static void complete_off(struct ys_host *host, struct ys_reader *parameters)
{
    (void)parameters;
    host->set->on = false;
}

static uint8_t phys_of(uint8_t phys)
{
    return phys != 0 ? phys : YS_ON_1M;
}

static void compose_scan_parameters(struct ys_host *host, struct ys_writer *writer)
{
    const struct ys_scanning *scanning = &host->scanning;
    const struct ys_hci_phy_scan one = {
        .active = scanning->active,
        .interval = (uint16_t)(scanning->interval_us / ADVERTISING_STEP_US),
        .window = (uint16_t)(scanning->window_us / ADVERTISING_STEP_US),
    };
    ys_put_hci_extended_scan(writer, &(struct ys_hci_extended_scan){.own_address_type = ys_own_type(host),
                                                                    .filter = scanning->listed,
                                                                    .phys = phys_of(scanning->phys),
                                                                    .by_phy = {one, one, one}});
}

static void compose_scan_enable(struct ys_host *host, struct ys_writer *writer)
{
    ys_put_u8(writer, host->command_running == COMMAND_SCAN_ON);
    ys_put_u8(writer, host->scanning.once);
    ys_put_u16(writer, 0); /* without an end */
    ys_put_u16(writer, 0);
}

static void compose_connect(struct ys_host *host, struct ys_writer *writer)
{
    struct ys_hci_extended_connect connect = {.phys = phys_of(host->connecting_with.phys)};
    ys_central_fill_connect(host, &connect.common);
    for (size_t i = 0; i < 3; i++)
        connect.by_phy[i] =
            (struct ys_hci_phy_scan){.interval = connect.common.scan_interval, .window = connect.common.scan_window};
    ys_put_hci_extended_connect(writer, &connect);
}

static const struct ys_command_row rows[COMMAND_COUNT] = {
    [COMMAND_READ_SETS] = {YS_HCI_LE_READ_ADVERTISING_SETS, "LE Read Number of Supported Advertising Sets", NULL,
                           complete_sets, NULL},
    [COMMAND_READ_DATA_MAX] = {YS_HCI_LE_READ_ADVERTISING_DATA_MAX, "LE Read Maximum Advertising Data Length", NULL,
                               complete_data_max, NULL},
    [COMMAND_ADVERTISING_OFF] = {YS_HCI_LE_SET_EXTENDED_ADVERTISING_ENABLE, "LE Set Extended Advertising Enable",
                                 compose_off, complete_off, NULL},
    [COMMAND_REMOVE_SET] = {YS_HCI_LE_REMOVE_ADVERTISING_SET, "LE Remove Advertising Set", compose_remove,
                            complete_remove, NULL},
    [COMMAND_ADVERTISING_PARAMETERS] = {YS_HCI_LE_SET_EXTENDED_ADVERTISING_PARAMETERS,
                                        "LE Set Extended Advertising Parameters", compose_parameters,
                                        complete_parameters, ys_set_failed},
    [COMMAND_SET_ADDRESS] = {YS_HCI_LE_SET_SET_ADDRESS, "LE Set Advertising Set Random Address", compose_set_address,
                             NULL, ys_set_failed},
    [COMMAND_ADVERTISING_DATA] = {YS_HCI_LE_SET_EXTENDED_ADVERTISING_DATA, "LE Set Extended Advertising Data",
                                  compose_data, complete_data, ys_set_failed},
    [COMMAND_SCAN_RESPONSE_DATA] = {YS_HCI_LE_SET_EXTENDED_SCAN_RESPONSE_DATA, "LE Set Extended Scan Response Data",
                                    compose_response, complete_response, ys_set_failed},
    [COMMAND_ADVERTISING_ON] = {YS_HCI_LE_SET_EXTENDED_ADVERTISING_ENABLE, "LE Set Extended Advertising Enable",
                                compose_on, complete_on, ys_set_failed},
    [COMMAND_SCAN_OFF] = {YS_HCI_LE_SET_EXTENDED_SCAN_ENABLE, "LE Set Extended Scan Enable", compose_scan_enable,
                          ys_central_scan_off, NULL},
    [COMMAND_SCAN_PARAMETERS] = {YS_HCI_LE_SET_EXTENDED_SCAN_PARAMETERS, "LE Set Extended Scan Parameters",
                                 compose_scan_parameters, NULL, ys_central_scan_failed},
    [COMMAND_SCAN_ON] = {YS_HCI_LE_SET_EXTENDED_SCAN_ENABLE, "LE Set Extended Scan Enable", compose_scan_enable,
                         ys_central_scan_on, ys_central_scan_failed},
    [COMMAND_CONNECT] = {YS_HCI_LE_EXTENDED_CREATE_CONNECTION, "LE Extended Create Connection", compose_connect, NULL,
                         ys_central_connect_failed},
};

static const struct ys_command_row *row(const struct ys_host *host, uint8_t command)
{
    return host->sets->active && rows[command].opcode != 0 ? &rows[command] : NULL;
}

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

/* Whatever is to be switched off goes first, as what comes after may need it off; then one set after the other. */
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

static uint8_t phy_from_hci(uint8_t phy)
{
    return phy >= YS_HCI_PHY_1M && phy <= YS_HCI_PHY_CODED ? (uint8_t)(phy - 1) : (uint8_t)YS_SET_1M;
}

static bool continues(const struct ys_sets *sets, const struct ys_hci_extended_report *report)
{
    return sets->report_length > 0 && sets->report_set == report->set_id &&
           ys_address_is_equal(&sets->report_address, &report->address);
}

/* Puts the parts of a report together: told is what is whole, or can no longer become so. */
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

static void reports(struct ys_host *host, struct ys_reader *parameters)
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

static void event_in(struct ys_host *host, uint8_t event, struct ys_reader *parameters)
{
    if (event == YS_HCI_LE_ADVERTISING_SET_TERMINATED)
        terminated(host, parameters);
    else if (event == YS_HCI_LE_SCAN_REQUEST_RECEIVED)
        scan_request(host, parameters);
    else if (event == YS_HCI_LE_EXTENDED_ADVERTISING_REPORT)
        reports(host, parameters);
}

/* what can be */

static void features(struct ys_host *host, uint64_t bits)
{
    host->sets->active = (bits & YS_HCI_LE_FEATURE_EXTENDED) != 0;
    host->sets->count = 1;
    host->sets->data_max = YS_ADVERTISEMENT_MAX;
    if (host->sets->active)
        host->commands_due |= BIT(COMMAND_READ_SETS) | BIT(COMMAND_READ_DATA_MAX);
}

static bool options_are_valid(const struct ys_advertising *advertising)
{
    const struct ys_set_options *options = advertising->options;
    bool beacon = advertising->kind == YS_ADVERTISE_BEACON;
    bool scannable = advertising->kind == YS_ADVERTISE_SCANNABLE;
    if (options->set_id > 15 || (options->has_power && options->power_dbm > 20))
        return false;
    if (!options->extended)
        return !options->anonymous && !options->tells_power && options->events == 0 &&
               options->primary_phy == YS_SET_1M && options->phy == YS_SET_1M;
    /* Vol 4 Part E 7.8.53: fast directed packets are legacy ones; what is anonymous cannot be answered; a scannable set
     * says all in its response, others have none */
    return advertising->kind != YS_ADVERTISE_DIRECTED_FAST && (!options->anonymous || beacon) &&
           (options->primary_phy == YS_SET_1M || options->primary_phy == YS_SET_CODED) &&
           options->phy <= YS_SET_CODED &&
           (scannable ? advertising->data_length == 0 && advertising->response_length > 0
                      : advertising->response_length == 0);
}

static bool lengths_fit(const struct ys_host *host, const struct ys_advertising *advertising)
{
    size_t most = !is_extended(advertising)                       ? YS_ADVERTISEMENT_MAX
                  : advertising->kind == YS_ADVERTISE_CONNECTABLE ? CONNECTABLE_MAX
                                                                  : host->sets->data_max;
    return advertising->data_length <= most && advertising->response_length <= most &&
           (is_extended(advertising) || advertising->interval_max_us <= 10240000);
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
    if (options->has_power || options->tells_power)
        lost |= YS_LOST_POWER;
    if (options->tells_requests)
        lost |= YS_LOST_REQUESTS;
    if (options->anonymous)
        lost |= YS_LOST_ANONYMITY;
    if (options->events != 0)
        lost |= YS_LOST_COUNT;
    if (options->extended && (options->primary_phy != YS_SET_1M || options->phy != YS_SET_1M))
        lost |= YS_LOST_PHY;
    if (options->extended) {
        bool scannable = advertising->kind == YS_ADVERTISE_SCANNABLE;
        if (!move_structures(sets, scannable ? advertising->response : advertising->data,
                             scannable ? advertising->response_length : advertising->data_length, false))
            lost |= YS_LOST_DATA;
        /* nobody asks a beacon: what is only in the response is lost */
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

static void any_event(struct ys_host *host, uint8_t event, const struct ys_reader *parameters)
{
    struct ys_reader reader = *parameters;
    if (event != YS_HCI_LE_META || host->state != STATE_READY)
        return;
    uint8_t subevent = ys_get_u8(&reader);
    event_in(host, subevent, &reader);
}

static const struct ys_extra_calls extra_calls = {.row = row, .event = any_event};
static const struct ys_sets_calls calls = {.turn = turn, .features = features, .adapt = adapt};

void ys_host_use_sets(struct ys_host *host, struct ys_sets *sets)
{
    memset(sets, 0, sizeof *sets);
    sets->calls = &calls;
    sets->count = 1;
    host->sets = sets;
    ys_extra_add(host, &sets->extra, &extra_calls, (uint32_t)YS_HCI_LE_EVENT_MASK_EXTENDED);
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
