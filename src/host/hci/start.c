/* The commands by which a host starts, and the one that ends a connection (Core 5.4 Vol 4 Part E 7.1, 7.3, 7.4, 7.8).
 */
#include "host/hci/start.h"

#include "host/core/connections.h"
#include "host/core/events.h"
#include "host/core/hooks.h"
#include "host/core/state.h"
#include "wire/l2cap.h"

#include <yarnswift/sets.h>

#define NO_HANDLE 0xffff

void ys_start_failed(struct ys_host *host, enum ys_event_kind kind, const char *step, uint8_t status)
{
    host->state = STATE_STOPPED;
    host->commands_due = 0;
    host->command_running = COMMAND_NONE;
    host->whole->lost(host);
    ys_emit(host, &(struct ys_event){.kind = kind, .u.start = {.step = step, .status = status}});
}

/* Vol 4 Part E 7.3.1, 7.8.1. */
static void compose_event_mask(struct ys_host *host, struct ys_writer *writer)
{
    (void)host;
    ys_put_u64(writer, YS_HCI_EVENT_MASK);
}

/* Vol 4 Part E 7.3.1, 7.8.1. */
static void compose_le_event_mask(struct ys_host *host, struct ys_writer *writer)
{
    ys_put_u64(writer, YS_HCI_LE_EVENT_MASK | host->le_events);
}

/* Vol 4 Part E 7.8.4. */
static void compose_random_address(struct ys_host *host, struct ys_writer *writer)
{
    uint8_t random[6];
    if (!host->port->random(host->port->context, random, sizeof random))
        return; /* and the start fails at it */
    host->address = ys_address_static(host->settings.address != NULL ? host->settings.address : random);
    if (host->settings.address_type == YS_OWN_NON_RESOLVABLE)
        host->address.bytes[5] = random[5] & 0x3f; /* Vol 6 Part B 1.3.2.2 */
    ys_put_address(writer, &host->address);
}

/* Vol 4 Part E 7.1.6, 7.7.5. */
static void compose_disconnect(struct ys_host *host, struct ys_writer *writer)
{
    uint16_t handle = NO_HANDLE;
    if (host->unfit_count > 0)
        handle = host->unfit[--host->unfit_count];
    struct ys_connection *connection = NULL;
    while (handle == NO_HANDLE && (connection = ys_connection_next(host, connection)) != NULL) {
        if (!connection->disconnect_due)
            continue;
        connection->disconnect_due = false;
        handle = connection->handle;
    }
    if (handle == NO_HANDLE)
        return;
    host->commands_due |= BIT(COMMAND_DISCONNECT); /* for the next, if there is one */
    ys_put_u16(writer, handle);
    ys_put_u8(writer, YS_HCI_REMOTE_ENDED);
}

/* Vol 4 Part E 7.4.3, 7.8.3. */
static void complete_features(struct ys_host *host, struct ys_reader *parameters)
{
    (void)ys_get_u32(parameters);
    if ((ys_get_u8(parameters) & YS_HCI_FEATURE_LE >> 32) == 0)
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

/* Vol 4 Part E 7.4.3, 7.8.3. */
static void complete_le_features(struct ys_host *host, struct ys_reader *parameters)
{
    if (host->sets != NULL)
        host->sets->calls->features(host, ys_get_u32(parameters));
}

/* Vol 4 Part E 7.8.2: a length of zero means that LE has no buffers of its own and shares those of BR/EDR (Vol 4 Part
 * E 7.4.5). */
static void complete_le_buffer_size(struct ys_host *host, struct ys_reader *parameters)
{
    uint16_t length = ys_get_u16(parameters);
    uint8_t count = ys_get_u8(parameters);
    if (length == 0 || count == 0)
        host->commands_due |= BIT(COMMAND_READ_BUFFER_SIZE);
    else
        use_buffers(host, length, count);
}

/* Vol 4 Part E 7.4.5, 7.8.2. */
static void complete_buffer_size(struct ys_host *host, struct ys_reader *parameters)
{
    uint16_t length = ys_get_u16(parameters);
    (void)ys_get_u8(parameters); /* synchronous data */
    uint16_t count = ys_get_u16(parameters);
    use_buffers(host, length, count);
}

/* Vol 4 Part E 7.4.6. */
static void complete_address(struct ys_host *host, struct ys_reader *parameters)
{
    if (host->own_type != YS_ADDRESS_PUBLIC)
        return;
    host->address.type = YS_ADDRESS_PUBLIC;
    ys_get_address(parameters, &host->address);
}

const struct ys_command_row ys_start_rows[] = {
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
};
