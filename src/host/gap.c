/* Finding and being found: what firmware asks for becomes commands that are due; what the controller says becomes
 * connections and events. */
#include <string.h>

#include "host/internal.h"

#define ADVERTISING_COMMANDS                                                                                           \
    (BIT(COMMAND_ADVERTISING_PARAMETERS) | BIT(COMMAND_ADVERTISING_DATA) | BIT(COMMAND_SCAN_RESPONSE_DATA) |           \
     BIT(COMMAND_ADVERTISING_ON))

#define ADVERTISING_STEP_US 625
#define INTERVAL_STEP_US    1250

static bool in_range(uint32_t value, uint32_t least, uint32_t greatest)
{
    return value >= least && value <= greatest;
}

/* advertising */

static bool advertising_is_valid(const struct ys_advertising *advertising)
{
    return in_range(advertising->interval_min_us, 20000, advertising->interval_max_us) &&
           advertising->interval_max_us <= 10240000 && advertising->kind <= YS_ADVERTISE_BEACON &&
           advertising->data_length <= YS_ADVERTISEMENT_MAX && advertising->response_length <= YS_ADVERTISEMENT_MAX &&
           (advertising->data_length == 0 || advertising->data != NULL) &&
           (advertising->response_length == 0 || advertising->response != NULL) &&
           advertising->findable <= YS_FINDABLE_ALWAYS && advertising->channels <= 0x07 &&
           advertising->duration_ms <= INT32_MAX;
}

static struct ys_connection *free_connection(struct ys_host *host)
{
    size_t most = host->settings.connections > 0 ? host->settings.connections : YS_CONNECTIONS;
    size_t used = 0;
    struct ys_connection *found = NULL;
    for (size_t i = 0; i < YS_CONNECTIONS; i++) {
        if (host->connections[i].used)
            used++;
        else if (found == NULL)
            found = &host->connections[i];
    }
    return used < most ? found : NULL;
}

/* Whether the device is to be found now, and as what: when no connection fits, nobody may be invited to connect. */
static bool is_to_be_found(struct ys_host *host)
{
    const struct ys_advertising *advertising = host->advertising;
    uint8_t kind = advertising->kind;
    bool fits = kind != YS_ADVERTISE_CONNECTABLE || free_connection(host) != NULL;
    if (!fits)
        kind = YS_ADVERTISE_SCANNABLE;
    if (!fits && advertising->findable != YS_FINDABLE_ALWAYS)
        return false;
    if (kind != host->advertising_kind)
        ys_commands_want(host, BIT(COMMAND_ADVERTISING_PARAMETERS));
    host->advertising_kind = kind;
    return true;
}

/* Brings the controller to what is wanted now. Parameters are only taken while advertising is off (Vol 4 Part E 7.8.5).
 */
void ys_gap_restart_advertising(struct ys_host *host)
{
    if (host->state != STATE_READY || host->advertising == NULL)
        return;
    bool wanted = is_to_be_found(host);
    bool changes = (host->commands_due & ADVERTISING_COMMANDS & ~BIT(COMMAND_ADVERTISING_ON)) != 0;
    if (host->advertising_on && (changes || !wanted))
        ys_commands_want(host, BIT(COMMAND_ADVERTISING_OFF));
    if (!wanted)
        host->commands_due &= ~BIT(COMMAND_ADVERTISING_ON);
    else if (!host->advertising_on || changes)
        ys_commands_want(host, BIT(COMMAND_ADVERTISING_ON));
}

static void stop_advertising(struct ys_host *host)
{
    host->commands_due &= ~ADVERTISING_COMMANDS;
    if (host->advertising != NULL)
        ys_commands_want(host, BIT(COMMAND_ADVERTISING_OFF));
    host->advertising = NULL;
}

static void end_advertising(struct ys_host *host, uint8_t reason)
{
    stop_advertising(host);
    ys_emit(host, &(struct ys_event){.kind = YS_EVENT_ADVERTISING_ENDED, .reason = reason});
}

void ys_gap_check(struct ys_host *host, uint32_t now_ms)
{
    if (ys_until_ms(now_ms, host->advertising_until_ms) == 0)
        end_advertising(host, YS_HCI_ADVERTISING_TIMEOUT);
}

enum ys_result ys_advertise(struct ys_host *host, const struct ys_advertising *advertising)
{
    YS_NOT_IN_INTERRUPT(host, "ys_advertise");
    if (host->state != STATE_READY)
        return YS_ERROR_NOT_READY;
    if (advertising == NULL || !advertising_is_valid(advertising))
        return YS_ERROR_ARGUMENT;
    host->advertising = advertising;
    host->advertising_until_ms = ys_now_ms(host) + advertising->duration_ms;
    host->advertising_kind = advertising->kind;
    ys_commands_want(host, ADVERTISING_COMMANDS & ~BIT(COMMAND_ADVERTISING_ON));
    ys_gap_restart_advertising(host);
    return YS_OK;
}

enum ys_result ys_advertise_stop(struct ys_host *host)
{
    YS_NOT_IN_INTERRUPT(host, "ys_advertise_stop");
    if (host->state != STATE_READY)
        return YS_ERROR_NOT_READY;
    stop_advertising(host);
    return YS_OK;
}

void ys_gap_fill_advertising(const struct ys_host *host, struct ys_hci_advertising *parameters)
{
    static const uint8_t types[] = {
        [YS_ADVERTISE_CONNECTABLE] = YS_HCI_ADVERTISE_CONNECTABLE,
        [YS_ADVERTISE_SCANNABLE] = YS_HCI_ADVERTISE_SCANNABLE,
        [YS_ADVERTISE_BEACON] = YS_HCI_ADVERTISE_BEACON,
    };
    *parameters = (struct ys_hci_advertising){
        .interval_min = (uint16_t)(host->advertising->interval_min_us / ADVERTISING_STEP_US),
        .interval_max = (uint16_t)(host->advertising->interval_max_us / ADVERTISING_STEP_US),
        .type = types[host->advertising_kind],
        .own_address_type = host->settings.address_type,
        .channels = host->advertising->channels != 0 ? host->advertising->channels : 0x07,
    };
}

/* scanning */

enum ys_result ys_scan(struct ys_host *host, const struct ys_scanning *scanning)
{
    YS_NOT_IN_INTERRUPT(host, "ys_scan");
    if (host->state != STATE_READY)
        return YS_ERROR_NOT_READY;
    if (scanning == NULL || !in_range(scanning->interval_us, 2500, 10240000) ||
        !in_range(scanning->window_us, 2500, scanning->interval_us))
        return YS_ERROR_ARGUMENT;
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
    host->commands_due &= ~(BIT(COMMAND_SCAN_PARAMETERS) | BIT(COMMAND_SCAN_ON));
    ys_commands_want(host, BIT(COMMAND_SCAN_OFF));
    return YS_OK;
}

void ys_gap_fill_scan(const struct ys_host *host, struct ys_hci_scan *parameters)
{
    *parameters = (struct ys_hci_scan){
        .active = host->scanning.active,
        .interval = (uint16_t)(host->scanning.interval_us / ADVERTISING_STEP_US),
        .window = (uint16_t)(host->scanning.window_us / ADVERTISING_STEP_US),
        .own_address_type = host->settings.address_type,
    };
}

void ys_gap_reports(struct ys_host *host, struct ys_reader *reports)
{
    uint8_t count = ys_get_u8(reports);
    for (uint8_t i = 0; i < count; i++) {
        struct ys_hci_report report;
        ys_get_hci_report(reports, &report);
        if (!ys_reader_ok(reports) || report.length > YS_ADVERTISEMENT_MAX)
            return;
        ys_emit(host, &(struct ys_event){
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
    uint64_t least_us = (uint64_t)(1u + connecting->latency) * connecting->interval_us * 2;
    return in_range(connecting->interval_us, 7500, 4000000) && connecting->latency <= 499 &&
           in_range(connecting->supervision_timeout_ms, 100, 32000) &&
           (uint64_t)connecting->supervision_timeout_ms * 1000 > least_us;
}

enum ys_result ys_connect(struct ys_host *host, const struct ys_address *peer, const struct ys_connecting *connecting)
{
    YS_NOT_IN_INTERRUPT(host, "ys_connect");
    if (host->state != STATE_READY)
        return YS_ERROR_NOT_READY;
    if (peer == NULL || connecting == NULL || !connecting_is_valid(connecting))
        return YS_ERROR_ARGUMENT;
    if (host->connecting)
        return YS_ERROR_BUSY;
    if (free_connection(host) == NULL)
        return YS_ERROR_NO_ROOM;
    host->connecting = true;
    host->connecting_to = *peer;
    host->connecting_with = *connecting;
    ys_commands_want(host, BIT(COMMAND_CONNECT));
    return YS_OK;
}

static void connect_failed(struct ys_host *host, uint8_t reason)
{
    if (!host->connecting)
        return;
    host->connecting = false;
    ys_emit(host, &(struct ys_event){.kind = YS_EVENT_CONNECT_FAILED, .reason = reason});
}

enum ys_result ys_connect_cancel(struct ys_host *host)
{
    YS_NOT_IN_INTERRUPT(host, "ys_connect_cancel");
    if (host->state != STATE_READY)
        return YS_ERROR_NOT_READY;
    if ((host->commands_due & BIT(COMMAND_CONNECT)) != 0) { /* the controller has not heard of it yet */
        host->commands_due &= ~BIT(COMMAND_CONNECT);
        connect_failed(host, YS_HCI_UNKNOWN_CONNECTION);
    } else if (host->connecting) {
        ys_commands_want(host, BIT(COMMAND_CONNECT_CANCEL));
    }
    return YS_OK;
}

void ys_gap_fill_connect(const struct ys_host *host, struct ys_hci_connect *parameters)
{
    uint16_t interval = (uint16_t)(host->connecting_with.interval_us / INTERVAL_STEP_US);
    *parameters = (struct ys_hci_connect){
        .scan_interval = 60000 / ADVERTISING_STEP_US,
        .scan_window = 60000 / ADVERTISING_STEP_US, /* listens all the time until it has connected */
        .peer = host->connecting_to,
        .own_address_type = host->settings.address_type,
        .interval_min = interval,
        .interval_max = interval,
        .latency = host->connecting_with.latency,
        .timeout = (uint16_t)(host->connecting_with.supervision_timeout_ms / 10),
    };
}

enum ys_result ys_disconnect(struct ys_host *host, uint16_t connection)
{
    YS_NOT_IN_INTERRUPT(host, "ys_disconnect");
    struct ys_connection *found = ys_connection_find(host, connection);
    if (found == NULL)
        return YS_ERROR_NO_CONNECTION;
    if (found->ending)
        return YS_OK;
    found->ending = true;
    found->disconnect_due = true;
    ys_commands_want(host, BIT(COMMAND_DISCONNECT));
    return YS_OK;
}

static void take_connection(struct ys_host *host, const struct ys_hci_connection *complete)
{
    struct ys_connection *connection = free_connection(host);
    if (connection == NULL || ys_connection_find(host, complete->handle) != NULL) {
        ys_log(host, "the controller made a connection that does not fit, handle", complete->handle);
        return;
    }
    memset(connection, 0, sizeof *connection);
    connection->used = true;
    connection->role = complete->role;
    connection->handle = complete->handle;
    connection->peer = complete->peer;
    connection->mtu = YS_ATT_MTU_DEFAULT;
    ys_emit(host, &(struct ys_event){
                      .kind = YS_EVENT_CONNECTED,
                      .connection = complete->handle,
                      .u.connected = {.peer = complete->peer,
                                      .role = complete->role == 0 ? YS_ROLE_CENTRAL : YS_ROLE_PERIPHERAL,
                                      .interval_us = (uint32_t)complete->interval * INTERVAL_STEP_US,
                                      .latency = complete->latency,
                                      .supervision_timeout_ms = (uint16_t)(complete->timeout * 10)},
                  });
}

void ys_gap_connection_complete(struct ys_host *host, const struct ys_hci_connection *complete)
{
    bool central = complete->role == 0;
    if (complete->status != YS_HCI_OK) {
        connect_failed(host, complete->status);
        return;
    }
    if (central)
        host->connecting = false;
    else
        host->advertising_on = false; /* 7.8.9: a connection ends connectable advertising */
    take_connection(host, complete);
    if (!central && host->advertising != NULL && host->advertising->findable == YS_FINDABLE_UNTIL_CONNECTED)
        end_advertising(host, YS_HCI_OK);
    ys_gap_restart_advertising(host);
}

void ys_gap_disconnected(struct ys_host *host, uint16_t handle, uint8_t reason)
{
    struct ys_connection *connection = ys_connection_find(host, handle);
    if (connection == NULL)
        return;
    /* Vol 4 Part E 4.1.1: what the controller still held of this connection is gone, its buffers are free */
    host->data_free = (uint16_t)(host->data_free + connection->packets_out);
    connection->used = false;
    ys_queue_forget(host, connection);
    if (host->client != NULL)
        host->client->abort(connection);
    ys_gap_restart_advertising(host);
    ys_emit(host, &(struct ys_event){.kind = YS_EVENT_DISCONNECTED, .connection = handle, .reason = reason});
}

void ys_gap_command_failed(struct ys_host *host, enum command command, const char *name, uint8_t status)
{
    struct ys_event event = {.u.start = {.step = name, .status = status}};
    switch (command) {
    case COMMAND_ADVERTISING_PARAMETERS:
    case COMMAND_ADVERTISING_DATA:
    case COMMAND_SCAN_RESPONSE_DATA:
    case COMMAND_ADVERTISING_ON:
        host->commands_due &= ~ADVERTISING_COMMANDS;
        event.kind = YS_EVENT_ADVERTISING_FAILED;
        ys_emit(host, &event);
        break;
    case COMMAND_SCAN_PARAMETERS:
    case COMMAND_SCAN_ON:
        host->commands_due &= ~BIT(COMMAND_SCAN_ON);
        event.kind = YS_EVENT_SCAN_FAILED;
        ys_emit(host, &event);
        break;
    case COMMAND_CONNECT:
        connect_failed(host, status);
        break;
    default: /* switching off what is off already, or ending what has ended: nothing is lost */
        ys_log(host, name, status);
        break;
    }
}
