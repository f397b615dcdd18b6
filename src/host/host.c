/* The host as a whole: its parts, its main loop, and the events of the controller. */
#include <string.h>

#include "host/core/bits.h"
#include "host/core/clock.h"
#include "host/core/connections.h"
#include "host/core/context.h"
#include "host/core/events.h"
#include "host/core/extras.h"
#include "host/core/hooks.h"
#include "host/core/state.h"
#include "host/gap/advertising.h"
#include "host/gap/advertising_rows.h"
#include "host/gap/connecting.h"
#include "host/gatt/bearer.h"
#include "host/gatt/server/attributes.h"
#include "host/gatt/server/notifiables.h"
#include "host/gatt/server/notify.h"
#include "host/gatt/server/queue.h"
#include "host/gatt/server/server.h"
#include "host/gatt/server/streams.h"
#include "host/hci/commands.h"
#include "host/hci/start.h"
#include "host/l2cap/frames.h"

/* Packets that are taken before what is due is sent, so that a flood from one peer does not hold up the others. */
#define PACKETS_A_RUN 8

static enum ys_result check_port(const struct ys_host_settings *settings)
{
    const struct ys_port *port = settings->port;
    if (port == NULL || port->send == NULL)
        return YS_ERROR_PORT_SEND;
    if (port->receive == NULL)
        return YS_ERROR_PORT_RECEIVE;
    if (port->now_ms == NULL)
        return YS_ERROR_PORT_CLOCK;
    if (port->random == NULL && settings->address_type != YS_OWN_PUBLIC)
        return YS_ERROR_PORT_RANDOM;
    if (port->enter_critical == NULL || port->leave_critical == NULL)
        return YS_ERROR_PORT_CRITICAL;
    bool stores = port->store_put != NULL; /* all three functions, or none */
    return (port->store_get != NULL) == stores && (port->store_delete != NULL) == stores ? YS_OK : YS_ERROR_PORT_STORE;
}

static enum ys_result check_table(const struct ys_host_settings *settings)
{
    if (settings->table == NULL)
        return YS_ERROR_TABLE;
    if (settings->table->notifiable_count > YS_NOTIFIABLES)
        return YS_ERROR_TABLE_NOTIFIABLES;
    if (settings->table->values_size > 0 && settings->values == NULL)
        return YS_ERROR_TABLE_VALUES;
    return YS_OK;
}

/* A handler or an event that turns the host, or starts it, would have it inside itself. */
static bool is_inside(const struct ys_host *host, const char *call)
{
    if (!host->running)
        return false;
    ys_host_log(host, call, 0);
    ys_host_log(host, "was called from a handler, an event or work, inside ys_host_run: return first", 0);
    return true;
}

static void end_connection(struct ys_host *host, struct ys_connection *connection, uint8_t reason)
{
    /* Vol 4 Part E 4.1.1: what the controller still held of this connection is gone, its buffers are free */
    host->data_free = (uint16_t)(host->data_free + connection->packets_out);
    if (host->remembering != NULL)
        host->remembering->left(host, connection);
    connection->used = false;
    while (host->connection_end > 0 && !host->connections[host->connection_end - 1].used)
        host->connection_end--;
    ys_queue_forget(host, connection);
    ys_extras_tell(host, connection, NULL);
    if (host->client != NULL)
        host->client->abort(connection);
    ys_gap_restart_advertising(host);
    ys_emit_plain(host, YS_EVENT_DISCONNECTED, connection->handle, reason);
}

static void drop_connections(struct ys_host *host)
{
    struct ys_connection *connection;
    while ((connection = ys_connection_next(host, NULL)) != NULL)
        end_connection(host, connection, YS_HCI_LOCAL_ENDED);
}

enum ys_result ys_host_init(struct ys_host *host, size_t size, const struct ys_host_settings *settings)
{
    if (size != sizeof *host)
        return YS_ERROR_CONFIGURATION;
    enum ys_result result = check_port(settings);
    if (result == YS_OK)
        result = check_table(settings);
    if (result == YS_OK && settings->mtu != 0 && (settings->mtu < YS_ATT_MTU_DEFAULT || settings->mtu > YS_MTU))
        result = YS_ERROR_ARGUMENT;
    if (result != YS_OK)
        return result;
    static const struct ys_whole whole = {
        .row = ys_advertising_row, .connection_complete = ys_gap_connection_complete, .lost = drop_connections};
    memset(host, 0, sizeof *host);
    host->whole = &whole;
    host->settings = *settings;
    host->port = settings->port;
    host->table = settings->table;
    host->command_running = COMMAND_NONE;
    host->set = &host->first_set;
    ys_attributes_reset(host);
    return YS_OK;
}

static void forget_sets(struct ys_host *host)
{
    struct ys_set *set;
    for (uint8_t i = 0; (set = ys_set_at(host, i)) != NULL; i++)
        *set = (struct ys_set){.on = false};
    host->set = &host->first_set;
}

void ys_host_start(struct ys_host *host)
{
    if (YS_DEBUG && (is_inside(host, "ys_host_start") || ys_in_interrupt(host, "ys_host_start")))
        return;
    if (YS_DEBUG && host->table->key_size > 0 && host->pairing == NULL)
        ys_host_log(host, "this definition has security: call ys_host_use_pairing before ys_host_start", 0);
    host->state = STATE_STARTING;
    forget_sets(host);
    host->scanning_on = false;
    host->connecting = false;
    host->unfit_count = 0;
    drop_connections(host);
    ys_commands_start(host);
}

static void le_event(struct ys_host *host, struct ys_reader *parameters)
{
    struct ys_hci_connection complete;
    uint8_t event = ys_get_u8(parameters);
    switch (event) {
    case YS_HCI_LE_CONNECTION_COMPLETE:
        ys_get_hci_connection(parameters, &complete);
        if (ys_reader_ok(parameters))
            ys_gap_connection_complete(host, &complete);
        break;
    case YS_HCI_LE_ADVERTISING_REPORT:
        if (host->central != NULL)
            host->central->reports(host, parameters);
        break;
    default:
        break;
    }
}

/* Vol 4 Part E 7.1.6, 7.7.5. */
static void disconnection(struct ys_host *host, struct ys_reader *parameters)
{
    uint8_t status = ys_get_u8(parameters);
    uint16_t handle = ys_get_u16(parameters) & 0x0fff;
    uint8_t reason = ys_get_u8(parameters);
    struct ys_connection *connection = ys_connection_find(host, handle);
    if (ys_reader_ok(parameters) && status == YS_HCI_OK && connection != NULL)
        end_connection(host, connection, reason);
}

/* Vol 4 Part E 7.7.16. */
static void hardware_error(struct ys_host *host)
{
    ys_start_failed(host, YS_EVENT_CONTROLLER_FAILED, "hardware error", YS_HCI_UNSPECIFIED);
}

static void event_in(struct ys_host *host, const uint8_t *packet, size_t length)
{
    struct ys_reader reader = ys_reader_of(packet, length);
    struct ys_reader parameters;
    uint8_t event;
    if (!ys_get_hci_event(&reader, &event, &parameters)) {
        ys_host_log(host, "dropped a malformed event of this length", (uint32_t)length);
        return;
    }
    for (const struct ys_extra *extra = host->extras; extra != NULL; extra = extra->next) {
        if (extra->calls->event != NULL)
            extra->calls->event(host, event, &parameters);
    }
    switch (event) {
    case YS_HCI_COMMAND_COMPLETE:
        ys_commands_complete(host, &parameters);
        break;
    case YS_HCI_COMMAND_STATUS:
        ys_commands_status(host, &parameters);
        break;
    case YS_HCI_DISCONNECTION_COMPLETE:
        disconnection(host, &parameters);
        break;
    case YS_HCI_COMPLETED_PACKETS:
        ys_l2cap_completed(host, &parameters);
        break;
    case YS_HCI_LE_META:
        if (host->state == STATE_READY)
            le_event(host, &parameters);
        break;
    case YS_HCI_HARDWARE_ERROR:
        hardware_error(host);
        break;
    default:
        break;
    }
}

/* A frame goes to whoever has its channel. */
static void data_in(struct ys_host *host, const uint8_t *packet, size_t length)
{
    struct ys_frame frame;
    if (!ys_l2cap_receive(host, packet, length, &frame))
        return;
    if (frame.channel == YS_L2CAP_ATT) {
        ys_bearer_receive(host, &frame);
        return;
    }
    for (const struct ys_extra *extra = host->extras; extra != NULL; extra = extra->next) {
        if (extra->calls->receive != NULL && extra->calls->receive(host, &frame))
            return;
    }
    ys_l2cap_refuse(host, &frame);
}

static void packet_in(struct ys_host *host, const uint8_t *packet, size_t length)
{
    if (length == 0 || host->state == STATE_STOPPED)
        return;
    if (packet[0] == YS_HCI_EVENT)
        event_in(host, packet + 1, length - 1);
    else if (packet[0] == YS_HCI_DATA)
        data_in(host, packet + 1, length - 1);
    else
        ys_host_log(host, "dropped a packet of this unknown type", packet[0]);
}

static uint32_t least(uint32_t a, uint32_t b)
{
    return a < b ? a : b;
}

static uint32_t wait_ms(struct ys_host *host)
{
    uint32_t now_ms = ys_now_ms(host);
    uint32_t wait = least(ys_commands_wait_ms(host, now_ms), ys_notify_wait_ms(host, now_ms));
    for (struct ys_connection *connection = NULL; (connection = ys_connection_next(host, connection)) != NULL;) {
        if (connection->request_sent)
            wait = least(wait, ys_until_ms(now_ms, connection->request_deadline_ms));
        if (connection->indicating)
            wait = least(wait, ys_until_ms(now_ms, connection->indication_deadline_ms));
    }
    return wait;
}

/* Whatever ends the connection leaves nothing to do for the next. */
static void run_connection(struct ys_host *host, struct ys_connection *connection, uint32_t now_ms)
{
    if (host->client != NULL)
        host->client->run(host, connection, now_ms);
    if (connection->used && connection->indicating)
        ys_notify_check(host, connection, now_ms);
    if (connection->used && (connection->waiting.stage == STAGE_CONSENTED || host->commands_consented))
        ys_server_run(host, connection);
    if (!connection->used || !ys_l2cap_go_on(host, connection))
        return;
    if (connection->confirm_due)
        ys_bearer_confirm(host, connection);
    if (connection->refusal_count > 0)
        ys_l2cap_send_refusals(host, connection);
    bool more;
    do { /* one of each kind in turn, so that none holds up the other */
        more = ys_notify_run(host, connection);
        more = ys_stream_run(host, connection) || more;
        if (host->outboxes != NULL)
            more = host->outboxes->send(host, connection) || more;
    } while (more);
}

static void run_connections(struct ys_host *host, size_t from, size_t to, uint32_t now_ms)
{
    for (size_t i = from; i < to && i < host->connection_end; i++) {
        if (host->connections[i].used)
            run_connection(host, &host->connections[i], now_ms);
    }
}

static uint32_t run_host(struct ys_host *host)
{
    size_t length = 0;
    const uint8_t *packet;
    bool more = true;
    YS_STORE(host->woken, 0);
    for (int i = 0; i < PACKETS_A_RUN && more; i++) {
        packet = host->port->receive(host->port->context, &length);
        more = packet != NULL;
        if (more)
            packet_in(host, packet, length);
    }
    uint32_t now_ms = ys_now_ms(host);
    uint32_t extras_wait_ms = YS_FOREVER;
    for (const struct ys_extra *extra = host->extras; extra != NULL; extra = extra->next) {
        if (extra->calls->run != NULL && (host->state != STATE_STOPPED || extra->calls->kind == YS_EXTRA_WORK))
            extras_wait_ms = least(extras_wait_ms, extra->calls->run(host, now_ms));
    }
    if (host->state == STATE_STOPPED)
        return YS_LOAD(host->woken) != 0 ? 0 : extras_wait_ms;
    extras_wait_ms = least(extras_wait_ms, ys_gap_run(host, now_ms));
    if (host->remembering != NULL)
        extras_wait_ms = least(extras_wait_ms, host->remembering->run(host, now_ms));
    ys_notify_collect(host, now_ms);
    uint8_t first = host->next_connection; /* each turn another one, so that none is always last */
    run_connections(host, first, YS_CONNECTIONS, now_ms);
    run_connections(host, 0, first, now_ms);
    host->next_connection = (uint8_t)(first + 1 < YS_CONNECTIONS ? first + 1 : 0);
    ys_commands_run(host);
    return more || YS_LOAD(host->woken) != 0 ? 0 : least(wait_ms(host), extras_wait_ms);
}

uint32_t ys_host_run(struct ys_host *host)
{
    if (!YS_DEBUG)
        return run_host(host);
    if (is_inside(host, "ys_host_run") || ys_in_interrupt(host, "ys_host_run"))
        return YS_FOREVER;
    host->running = true;
    uint32_t wait = run_host(host);
    host->running = false;
    return wait;
}

/* Vol 6 Part B 1.3.1. */
struct ys_address ys_host_address(const struct ys_host *host)
{
    return host->address;
}

uint16_t ys_host_mtu(const struct ys_host *host, uint16_t connection)
{
    for (size_t i = 0; i < YS_CONNECTIONS; i++) {
        if (host->connections[i].used && host->connections[i].handle == connection)
            return host->connections[i].mtu;
    }
    return 0;
}
