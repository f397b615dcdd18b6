/* The controller's commands: what is due is a set of bits, sent one at a time from the lowest up, so that the order of
 * enum command is the order that works. Each command is one row of one table. */
#include <string.h>

#include <yarnswift/sets.h>

#include "host/internal.h"

static void compose_event_mask(struct ys_host *host, struct ys_writer *writer)
{
    (void)host;
    ys_put_u64(writer, YS_HCI_EVENT_MASK);
}

static void compose_le_event_mask(struct ys_host *host, struct ys_writer *writer)
{
    ys_put_u64(writer, YS_HCI_LE_EVENT_MASK | host->le_events);
}

static void compose_random_address(struct ys_host *host, struct ys_writer *writer)
{
    uint8_t random[6];
    if (!host->port->random(host->port->context, random, sizeof random))
        return; /* a command without an address is refused, and the start fails at it */
    host->address = ys_address_static(host->settings.address != NULL ? host->settings.address : random);
    if (host->settings.address_type == YS_OWN_NON_RESOLVABLE)
        host->address.bytes[5] = random[5] & 0x3f; /* Vol 6 Part B 1.3.2.2 */
    ys_put_address(writer, &host->address);
}

static void compose_disconnect(struct ys_host *host, struct ys_writer *writer)
{
    bool found = false;
    for (size_t i = 0; i < YS_CONNECTIONS; i++) {
        struct ys_connection *connection = &host->connections[i];
        if (!connection->used || !connection->disconnect_due)
            continue;
        if (found) {
            host->commands_due |= BIT(COMMAND_DISCONNECT);
            break;
        }
        found = true;
        connection->disconnect_due = false;
        ys_put_u16(writer, connection->handle);
        ys_put_u8(writer, YS_HCI_REMOTE_ENDED);
    }
}

static void compose_advertising_parameters(struct ys_host *host, struct ys_writer *writer)
{
    struct ys_hci_advertising parameters;
    ys_gap_fill_advertising(host, &parameters);
    ys_put_hci_advertising(writer, &parameters);
}

static void put_payload(struct ys_writer *writer, const uint8_t *bytes, uint8_t length)
{
    struct ys_hci_payload payload = {.length = length};
    if (length > 0)
        memcpy(payload.bytes, bytes, length);
    ys_put_hci_payload(writer, &payload);
}

static void compose_advertising_data(struct ys_host *host, struct ys_writer *writer)
{
    put_payload(writer, host->set->advertising->data, (uint8_t)host->set->advertising->data_length);
}

static void compose_scan_response(struct ys_host *host, struct ys_writer *writer)
{
    put_payload(writer, host->set->advertising->response, (uint8_t)host->set->advertising->response_length);
}

static void compose_on(struct ys_host *host, struct ys_writer *writer)
{
    (void)host;
    ys_put_u8(writer, 1);
}

static void compose_off(struct ys_host *host, struct ys_writer *writer)
{
    (void)host;
    ys_put_u8(writer, 0);
}

void ys_start_failed(struct ys_host *host, enum ys_event_kind kind, const char *step, uint8_t status)
{
    host->state = STATE_STOPPED;
    host->commands_due = 0;
    host->command_running = COMMAND_NONE;
    ys_emit(host, &(struct ys_event){.kind = kind, .u.start = {.step = step, .status = status}});
}

static void complete_features(struct ys_host *host, struct ys_reader *parameters)
{
    uint64_t features = ys_get_u64(parameters);
    if ((features & YS_HCI_FEATURE_LE) == 0)
        ys_start_failed(host, YS_EVENT_START_FAILED, "the controller does not support LE", YS_HCI_UNSUPPORTED);
}

static void use_buffers(struct ys_host *host, uint16_t length, uint16_t count)
{
    uint32_t room = (uint32_t)length * count;
    if (length < 27 || count == 0) {
        ys_start_failed(host, YS_EVENT_START_FAILED, "the controller has no data buffers of 27 bytes",
                        YS_HCI_UNSUPPORTED);
        return;
    }
    host->data_length = length;
    host->data_total = count;
    host->data_free = count;
    /* every PDU must fit into the controller's buffers at once, see docs/architecture.md */
    uint16_t most = host->settings.mtu != 0 ? host->settings.mtu : YS_MTU_PREFERRED;
    host->mtu = room < YS_L2CAP_HEADER_SIZE + (uint32_t)most ? (uint16_t)(room - YS_L2CAP_HEADER_SIZE) : most;
}

static void complete_le_features(struct ys_host *host, struct ys_reader *parameters)
{
    if (host->sets != NULL)
        host->sets->calls->features(host, ys_get_u64(parameters));
}

/* Vol 4 Part E 7.8.2: a length of zero means that LE has no buffers of its own and shares those of BR/EDR. */
static void complete_le_buffer_size(struct ys_host *host, struct ys_reader *parameters)
{
    uint16_t length = ys_get_u16(parameters);
    uint8_t count = ys_get_u8(parameters);
    if (length == 0 || count == 0)
        host->commands_due |= BIT(COMMAND_READ_BUFFER_SIZE);
    else
        use_buffers(host, length, count);
}

static void complete_buffer_size(struct ys_host *host, struct ys_reader *parameters)
{
    uint16_t length = ys_get_u16(parameters);
    (void)ys_get_u8(parameters); /* synchronous data */
    uint16_t count = ys_get_u16(parameters);
    use_buffers(host, length, count);
}

static void complete_address(struct ys_host *host, struct ys_reader *parameters)
{
    if (host->settings.address_type != YS_OWN_PUBLIC)
        return;
    host->address.type = YS_ADDRESS_PUBLIC;
    ys_get_address(parameters, &host->address);
}

static void complete_advertising_on(struct ys_host *host, struct ys_reader *parameters)
{
    (void)parameters;
    host->set->on = true;
    host->set->before = NULL;
}

static void complete_advertising_off(struct ys_host *host, struct ys_reader *parameters)
{
    (void)parameters;
    host->set->on = false;
}

static const struct ys_command_row rows[] = {
    [COMMAND_RESET] = {YS_HCI_RESET, "Reset", NULL, NULL, NULL},
    [COMMAND_READ_FEATURES] = {YS_HCI_READ_FEATURES, "Read Local Supported Features", NULL, complete_features, NULL},
    [COMMAND_LE_READ_FEATURES] = {YS_HCI_LE_READ_FEATURES, "LE Read Local Supported Features", NULL,
                                  complete_le_features, NULL},
    [COMMAND_SET_EVENT_MASK] = {YS_HCI_SET_EVENT_MASK, "Set Event Mask", compose_event_mask, NULL, NULL},
    [COMMAND_LE_SET_EVENT_MASK] = {YS_HCI_LE_SET_EVENT_MASK, "LE Set Event Mask", compose_le_event_mask, NULL, NULL},
    [COMMAND_LE_READ_BUFFER_SIZE] = {YS_HCI_LE_READ_BUFFER_SIZE, "LE Read Buffer Size", NULL, complete_le_buffer_size,
                                     NULL},
    [COMMAND_READ_BUFFER_SIZE] = {YS_HCI_READ_BUFFER_SIZE, "Read Buffer Size", NULL, complete_buffer_size, NULL},
    [COMMAND_READ_ADDRESS] = {YS_HCI_READ_ADDRESS, "Read BD_ADDR", NULL, complete_address, NULL},
    [COMMAND_SET_RANDOM_ADDRESS] = {YS_HCI_LE_SET_RANDOM_ADDRESS, "LE Set Random Address", compose_random_address, NULL,
                                    NULL},
    [COMMAND_DISCONNECT] = {YS_HCI_DISCONNECT, "Disconnect", compose_disconnect, NULL, NULL},
    [COMMAND_ADVERTISING_OFF] = {YS_HCI_LE_SET_ADVERTISING_ENABLE, "LE Set Advertising Enable", compose_off,
                                 complete_advertising_off, NULL},
    [COMMAND_ADVERTISING_PARAMETERS] = {YS_HCI_LE_SET_ADVERTISING_PARAMETERS, "LE Set Advertising Parameters",
                                        compose_advertising_parameters, NULL, ys_set_failed},
    [COMMAND_ADVERTISING_DATA] = {YS_HCI_LE_SET_ADVERTISING_DATA, "LE Set Advertising Data", compose_advertising_data,
                                  NULL, ys_set_failed},
    [COMMAND_SCAN_RESPONSE_DATA] = {YS_HCI_LE_SET_SCAN_RESPONSE_DATA, "LE Set Scan Response Data",
                                    compose_scan_response, NULL, ys_set_failed},
    [COMMAND_ADVERTISING_ON] = {YS_HCI_LE_SET_ADVERTISING_ENABLE, "LE Set Advertising Enable", compose_on,
                                complete_advertising_on, ys_set_failed},
};

/* The row of a command: of sets, if the controller has them; of what the host only does once it is asked for; or its
 * own. */
static const struct ys_command_row *row_of(const struct ys_host *host, uint8_t command)
{
    const struct ys_command_row *row = NULL;
    for (const struct ys_extra *extra = host->extras; row == NULL && extra != NULL; extra = extra->next)
        row = extra->calls->row(host, command);
    if (row != NULL)
        return row;
    if (command == COMMAND_LIST_CLEAR || command == COMMAND_LIST_ADD)
        return host->accept_row(command);
    if (command == COMMAND_SCAN_OFF || command == COMMAND_CONNECT_CANCEL || command >= COMMAND_SCAN_PARAMETERS)
        return host->central->row(command);
    return &rows[command];
}

void ys_commands_want(struct ys_host *host, uint32_t commands)
{
    host->commands_due |= commands;
    ys_wake(host);
}

void ys_commands_start(struct ys_host *host)
{
    host->commands_due =
        COMMANDS_OF_START & ~(BIT(COMMAND_READ_BUFFER_SIZE) | BIT(COMMAND_READ_SETS) | BIT(COMMAND_READ_DATA_MAX));
    if (host->settings.address_type == YS_OWN_PUBLIC)
        host->commands_due &= ~BIT(COMMAND_SET_RANDOM_ADDRESS);
    host->command_running = COMMAND_NONE;
    host->command_credits = 1; /* Vol 4 Part E 4.4: one command may be sent after power-up */
    ys_wake(host);
}

static void send_command(struct ys_host *host, uint8_t command)
{
    uint8_t bytes[4 + COMMAND_MAX];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    const struct ys_command_row *row = row_of(host, command);
    host->commands_due &= ~BIT(command);
    host->command_running = command;
    host->command_credits--;
    ys_hci_command_begin(&writer, row->opcode);
    if (row->compose != NULL)
        row->compose(host, &writer);
    ys_hci_end(&writer);
    host->command_deadline_ms = ys_now_ms(host) + YS_COMMAND_TIMEOUT_MS;
    host->port->send(host->port->context, bytes, ys_writer_stored(&writer));
}

static void check_deadline(struct ys_host *host)
{
    if (ys_until_ms(ys_now_ms(host), host->command_deadline_ms) > 0)
        return;
    const char *name = row_of(host, host->command_running)->name;
    ys_start_failed(host, host->state == STATE_STARTING ? YS_EVENT_START_FAILED : YS_EVENT_CONTROLLER_FAILED, name,
                    YS_HCI_TIMEOUT);
}

void ys_commands_run(struct ys_host *host)
{
    if (host->command_running != COMMAND_NONE) {
        check_deadline(host);
        return;
    }
    if (host->sets != NULL)
        host->sets->calls->turn(host);
    if (host->command_credits == 0 || host->commands_due == 0)
        return;
    for (uint8_t command = 0; command < (uint8_t)COMMAND_COUNT; command++) {
        if ((host->commands_due & BIT(command)) != 0) {
            send_command(host, command);
            return;
        }
    }
}

uint32_t ys_commands_wait_ms(const struct ys_host *host, uint32_t now_ms)
{
    if (host->command_running != COMMAND_NONE)
        return ys_until_ms(now_ms, host->command_deadline_ms);
    return host->commands_due != 0 && host->command_credits > 0 ? 0 : YS_FOREVER;
}

static void finish(struct ys_host *host, uint8_t status, struct ys_reader *parameters)
{
    const struct ys_command_row *row = row_of(host, host->command_running);
    host->command_running = COMMAND_NONE;
    if (status == YS_HCI_OK && row->complete != NULL) {
        row->complete(host, parameters);
        if (!ys_reader_ok(parameters))
            status = YS_HCI_UNSPECIFIED;
    }
    if (host->state == STATE_STOPPED) /* the step itself has said why */
        return;
    if (status != YS_HCI_OK && host->state == STATE_STARTING)
        ys_start_failed(host, YS_EVENT_START_FAILED, row->name, status);
    else if (status != YS_HCI_OK && row->failed != NULL)
        row->failed(host, row->name, status);
    else if (status != YS_HCI_OK) /* switching off what is off, or ending what has ended: nothing is lost */
        ys_host_log(host, row->name, status);
    if (host->state == STATE_STARTING && (host->commands_due & COMMANDS_OF_START) == 0) {
        host->state = STATE_READY;
        ys_emit(host, &(struct ys_event){.kind = YS_EVENT_READY});
    }
}

static bool is_running(const struct ys_host *host, uint16_t opcode)
{
    return host->command_running != COMMAND_NONE && row_of(host, host->command_running)->opcode == opcode;
}

void ys_commands_complete(struct ys_host *host, struct ys_reader parameters)
{
    uint8_t credits = ys_get_u8(&parameters);
    uint16_t opcode = ys_get_u16(&parameters);
    if (!ys_reader_ok(&parameters))
        return;
    host->command_credits = credits;
    if (!is_running(host, opcode)) /* opcode 0 only tells the credits */
        return;
    uint8_t status = ys_get_u8(&parameters);
    finish(host, ys_reader_ok(&parameters) ? status : YS_HCI_UNSPECIFIED, &parameters);
}

void ys_commands_status(struct ys_host *host, struct ys_reader parameters)
{
    uint8_t status = ys_get_u8(&parameters);
    uint8_t credits = ys_get_u8(&parameters);
    uint16_t opcode = ys_get_u16(&parameters);
    if (!ys_reader_ok(&parameters))
        return;
    host->command_credits = credits;
    if (is_running(host, opcode))
        finish(host, status, &parameters);
}
