/* Finding and connecting: scanning, its reports, and connections as central. A host that never does either need not
 * link it. */
#include "host/gap/central.h"

#include <yarnswift/sets.h>

#include "host/core/bits.h"
#include "host/core/connections.h"
#include "host/core/context.h"
#include "host/core/due.h"
#include "host/core/events.h"
#include "host/core/hooks.h"
#include "host/core/state.h"
#include "host/gap/advertising.h"
#include "host/gap/connecting.h"
#include "wire/hci.h"

/* The connection is wanted soon: the window is all of the interval. */
#define CONNECT_WINDOW_US 60000

static const struct ys_central central;

/* The PHYs other than 1M need a controller that has sets. */
static bool phys_are_valid(uint8_t phys)
{
    return (phys & ~(YS_1M | YS_CODED)) == 0;
}

static bool phys_are_legacy(const struct ys_host *host, uint8_t phys)
{
    return (phys & YS_CODED) == 0 || (host->sets != NULL && host->sets->active);
}

/* scanning */

/* Vol 3 Part C 9.1.2. */
enum ys_result ys_scan(struct ys_host *host, const struct ys_scanning *scanning)
{
    YS_NOT_IN_INTERRUPT(host, "ys_scan");
    if (host->state != STATE_READY)
        return YS_ERROR_NOT_READY;
    if (scanning == NULL || !ys_in_range(scanning->interval_us, 2500, 10240000) ||
        !ys_in_range(scanning->window_us, 2500, scanning->interval_us) || !phys_are_valid(scanning->phys))
        return YS_ERROR_ARGUMENT;
    if (!phys_are_legacy(host, scanning->phys))
        return YS_ERROR_UNSUPPORTED;
    host->central = &central;
    host->scanning = *scanning;
    ys_commands_want(host, BIT(COMMAND_SCAN_PARAMETERS) | BIT(COMMAND_SCAN_ON));
    if (host->scanning_on)
        ys_commands_want(host, BIT(COMMAND_SCAN_OFF));
    return YS_OK;
}

enum ys_result ys_scan_stop(struct ys_host *host)
{
    YS_NOT_IN_INTERRUPT(host, "ys_scan_stop");
    if (host->state != STATE_READY)
        return YS_ERROR_NOT_READY;
    host->central = &central;
    host->commands_due &= ~(BIT(COMMAND_SCAN_PARAMETERS) | BIT(COMMAND_SCAN_ON));
    ys_commands_want(host, BIT(COMMAND_SCAN_OFF));
    return YS_OK;
}

/* Vol 4 Part E 7.8.10, 7.8.11. */
static void compose_scan_parameters(struct ys_host *host, struct ys_writer *writer)
{
    ys_put_hci_scan(writer, &(struct ys_hci_scan){
                                .active = host->scanning.active,
                                .interval = (uint16_t)(host->scanning.interval_us / ADVERTISING_STEP_US),
                                .window = (uint16_t)(host->scanning.window_us / ADVERTISING_STEP_US),
                                .own_address_type = host->own_type,
                                .filter = host->scanning.listed,
                            });
}

/* Vol 4 Part E 7.8.10, 7.8.11. */
static void compose_scan_enable(struct ys_host *host, struct ys_writer *writer)
{
    ys_put_u8(writer, host->command_running == COMMAND_SCAN_ON);
    ys_put_u8(writer, host->scanning.once);
}

void ys_central_scan_on(struct ys_host *host, struct ys_reader *parameters)
{
    (void)parameters;
    host->scanning_on = true;
}

void ys_central_scan_off(struct ys_host *host, struct ys_reader *parameters)
{
    (void)parameters;
    host->scanning_on = false;
}

void ys_central_scan_failed(struct ys_host *host, const char *name, uint8_t status)
{
    host->commands_due &= ~BIT(COMMAND_SCAN_ON);
    ys_emit(host, &(struct ys_event){.kind = YS_EVENT_SCAN_FAILED, .u.start = {.step = name, .status = status}});
}

/* Vol 3 Part C 9.2.6. */
void ys_central_report(struct ys_host *host, const struct ys_event *event)
{
    const struct ys_report_filter *filter = host->scanning.filter;
    if (filter == NULL ||
        ys_report_filter_passes(filter, event->u.report.data, event->u.report.length, event->u.report.rssi_dbm))
        ys_emit(host, event);
}

/* Vol 4 Part E 7.7.65.2. */
static void central_reports(struct ys_host *host, struct ys_reader *reader)
{
    uint8_t count = ys_get_u8(reader);
    for (uint8_t i = 0; i < count; i++) {
        struct ys_hci_report report;
        ys_get_hci_report(reader, &report);
        if (!ys_reader_ok(reader) || report.length > YS_ADVERTISEMENT_MAX)
            return;
        if (report.type > YS_REPORT_RESPONSE) /* reserved */
            continue;
        report.address.type &= 1; /* an identity is an address like others */
        ys_central_report(host, &(struct ys_event){
                                    .kind = YS_EVENT_REPORT,
                                    .u.report = {.address = report.address,
                                                 .type = report.type,
                                                 .rssi_dbm = report.rssi_dbm,
                                                 .length = report.length,
                                                 .data = report.data},
                                });
    }
}

/* connecting */

static bool connecting_is_valid(const struct ys_connecting *connecting)
{
    return ys_in_range(connecting->interval_us, 7500, 4000000) && connecting->latency <= 499 &&
           ys_in_range(connecting->supervision_timeout_ms, 100, 32000) &&
           connecting->supervision_timeout_ms * 1000u > (1u + connecting->latency) * connecting->interval_us * 2 &&
           phys_are_valid(connecting->phys);
}

/* Vol 3 Part C 9.3.8. */
enum ys_result ys_connect(struct ys_host *host, const struct ys_address *peer, const struct ys_connecting *connecting)
{
    YS_NOT_IN_INTERRUPT(host, "ys_connect");
    if (host->state != STATE_READY)
        return YS_ERROR_NOT_READY;
    if (connecting == NULL || (peer == NULL && !connecting->listed) || !connecting_is_valid(connecting))
        return YS_ERROR_ARGUMENT;
    if (!phys_are_legacy(host, connecting->phys))
        return YS_ERROR_UNSUPPORTED;
    if (host->connecting)
        return YS_ERROR_BUSY;
    if (ys_connection_free(host) == NULL)
        return YS_ERROR_NO_ROOM;
    host->central = &central;
    host->connecting = true;
    host->connecting_to = peer != NULL ? *peer : (struct ys_address){.type = YS_ADDRESS_PUBLIC};
    host->connecting_with = *connecting;
    ys_commands_want(host, BIT(COMMAND_CONNECT));
    return YS_OK;
}

static void connect_failed(struct ys_host *host, uint8_t reason)
{
    host->connecting = false;
    ys_emit_plain(host, YS_EVENT_CONNECT_FAILED, 0, reason);
}

void ys_central_connect_failed(struct ys_host *host, const char *name, uint8_t status)
{
    (void)name;
    if (host->connecting)
        connect_failed(host, status);
}

enum ys_result ys_connect_cancel(struct ys_host *host)
{
    YS_NOT_IN_INTERRUPT(host, "ys_connect_cancel");
    if (host->state != STATE_READY)
        return YS_ERROR_NOT_READY;
    if (host->connecting && (host->commands_due & BIT(COMMAND_CONNECT)) != 0) { /* the controller does not know yet */
        host->commands_due &= ~BIT(COMMAND_CONNECT);
        connect_failed(host, YS_HCI_UNKNOWN_CONNECTION);
    } else if (host->connecting) {
        ys_commands_want(host, BIT(COMMAND_CONNECT_CANCEL));
    }
    return YS_OK;
}

void ys_central_fill_connect(const struct ys_host *host, struct ys_hci_connect *parameters)
{
    uint16_t interval = (uint16_t)(host->connecting_with.interval_us / INTERVAL_STEP_US);
    *parameters = (struct ys_hci_connect){
        .scan_interval = CONNECT_WINDOW_US / ADVERTISING_STEP_US,
        .scan_window = CONNECT_WINDOW_US / ADVERTISING_STEP_US,
        .filter = host->connecting_with.listed,
        .peer = host->connecting_to,
        .own_address_type = host->own_type,
        .interval_min = interval,
        .interval_max = interval,
        .latency = host->connecting_with.latency,
        .timeout = (uint16_t)(host->connecting_with.supervision_timeout_ms / 10),
    };
}

/* Vol 4 Part E 7.8.12, 7.8.13. */
static void compose_connect(struct ys_host *host, struct ys_writer *writer)
{
    struct ys_hci_connect parameters;
    ys_central_fill_connect(host, &parameters);
    ys_put_hci_connect(writer, &parameters);
}

static const struct ys_command_row *central_row(uint8_t command)
{
    static const struct ys_command_row scan_off = {YS_HCI_LE_SET_SCAN_ENABLE, "LE Set Scan Enable", compose_scan_enable,
                                                   ys_central_scan_off, NULL};
    static const struct ys_command_row cancel = {YS_HCI_LE_CREATE_CONNECTION_CANCEL, "LE Create Connection Cancel",
                                                 NULL, NULL, NULL};
    static const struct ys_command_row rows[] = {
        {YS_HCI_LE_SET_SCAN_PARAMETERS, "LE Set Scan Parameters", compose_scan_parameters, NULL,
         ys_central_scan_failed},
        {YS_HCI_LE_SET_SCAN_ENABLE, "LE Set Scan Enable", compose_scan_enable, ys_central_scan_on,
         ys_central_scan_failed},
        {YS_HCI_LE_CREATE_CONNECTION, "LE Create Connection", compose_connect, NULL, ys_central_connect_failed},
    };
    if (command == COMMAND_SCAN_OFF)
        return &scan_off;
    return command == COMMAND_CONNECT_CANCEL ? &cancel : &rows[command - COMMAND_SCAN_PARAMETERS];
}

static const struct ys_central central = {.row = central_row, .reports = central_reports, .failed = connect_failed};
