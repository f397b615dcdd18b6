/* The controller's commands: what is due is a set of bits, sent one at a time from the lowest up, so that the order of
 * enum command is the order that works (Core 5.4 Vol 4 Part E 4.4). */
#include "host/hci/commands.h"

#include <yarnswift/sets.h>

#include "host/core/clock.h"
#include "host/core/events.h"
#include "host/core/extras.h"
#include "host/core/hooks.h"
#include "host/core/state.h"
#include "host/hci/start.h"
#include "wire/hci.h"

#define HEADER_SIZE 4 /* of a command */

/* The row of a command: of an extra, of an optional part, or of the list that every host has. */
static const struct ys_command_row *row_of(const struct ys_host *host, uint8_t command)
{
    for (const struct ys_extra *extra = host->extras; extra != NULL; extra = extra->next) {
        const struct ys_command_row *row = extra->calls->row != NULL ? extra->calls->row(host, command) : NULL;
        if (row != NULL)
            return row;
    }
    if (command == COMMAND_LIST_CLEAR || command == COMMAND_LIST_ADD)
        return host->accept_row(command);
    if (command == COMMAND_SCAN_OFF || command == COMMAND_CONNECT_CANCEL || command >= COMMAND_SCAN_PARAMETERS)
        return host->central->row(command);
    return command <= COMMAND_DISCONNECT ? &ys_start_rows[command] : host->whole->row(command);
}

void ys_commands_start(struct ys_host *host)
{
    host->commands_due =
        COMMANDS_OF_START & ~(BIT(COMMAND_READ_BUFFER_SIZE) | BIT(COMMAND_READ_SETS) | BIT(COMMAND_OTHER));
    host->own_type = YS_ADDRESS_RANDOM;
    if (host->settings.address_type == YS_OWN_PUBLIC) {
        host->own_type = YS_ADDRESS_PUBLIC;
        host->commands_due &= ~BIT(COMMAND_SET_RANDOM_ADDRESS);
    }
    host->command_running = COMMAND_NONE;
    host->command_credits = 1; /* Vol 4 Part E 4.4: one command may be sent after power-up */
    ys_wake(host);
}

/* False if there is nothing to send any more (Vol 4 Part E 4.4). */
static bool send_command(struct ys_host *host, uint8_t command)
{
    uint8_t bytes[HEADER_SIZE + COMMAND_MAX];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    const struct ys_command_row *row = row_of(host, command);
    host->commands_due &= ~BIT(command);
    host->command_running = command;
    ys_hci_command_begin(&writer, row->opcode);
    if (row->compose != NULL)
        row->compose(host, &writer);
    if (row->compose != NULL && ys_writer_length(&writer) == HEADER_SIZE) {
        host->command_running = COMMAND_NONE;
        if (host->state == STATE_STARTING)
            ys_start_failed(host, YS_EVENT_START_FAILED, row->name, YS_HCI_UNSPECIFIED);
        return false;
    }
    host->command_credits--;
    ys_hci_end(&writer);
    host->command_deadline_ms = ys_now_ms(host) + YS_COMMAND_TIMEOUT_MS;
    host->port->send(host->port->context, bytes, ys_writer_stored(&writer));
    return true;
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
        if ((host->commands_due & BIT(command)) != 0 && send_command(host, command))
            return;
    }
}

uint32_t ys_commands_wait_ms(const struct ys_host *host, uint32_t now_ms)
{
    if (host->command_running != COMMAND_NONE)
        return ys_until_ms(now_ms, host->command_deadline_ms);
    return host->commands_due != 0 && host->command_credits > 0 ? 0 : YS_FOREVER;
}

static void finish_command(struct ys_host *host, uint8_t status, struct ys_reader *parameters)
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
    if (status != YS_HCI_OK && row->failed != NULL)
        row->failed(host, row->name, status);
    else if (status != YS_HCI_OK && host->state == STATE_STARTING)
        ys_start_failed(host, YS_EVENT_START_FAILED, row->name, status);
    else if (status != YS_HCI_OK) /* switching off what is off, or ending what has ended: nothing is lost */
        ys_host_log(host, row->name, status);
    if (host->state == STATE_STARTING && (host->commands_due & COMMANDS_OF_START) == 0) {
        host->state = STATE_READY;
        ys_emit_plain(host, YS_EVENT_READY, 0, YS_HCI_OK);
    }
}

static bool is_running(const struct ys_host *host, uint16_t opcode)
{
    return host->command_running != COMMAND_NONE && row_of(host, host->command_running)->opcode == opcode;
}

/* Vol 4 Part E 7.7.14, 7.7.15. */
void ys_commands_complete(struct ys_host *host, struct ys_reader *parameters)
{
    uint8_t credits = ys_get_u8(parameters);
    uint16_t opcode = ys_get_u16(parameters);
    if (!ys_reader_ok(parameters))
        return;
    host->command_credits = credits;
    if (!is_running(host, opcode)) /* opcode 0 only tells the credits */
        return;
    uint8_t status = ys_get_u8(parameters);
    finish_command(host, ys_reader_ok(parameters) ? status : YS_HCI_UNSPECIFIED, parameters);
}

/* Vol 4 Part E 7.7.14, 7.7.15. */
void ys_commands_status(struct ys_host *host, struct ys_reader *parameters)
{
    uint8_t status = ys_get_u8(parameters);
    uint8_t credits = ys_get_u8(parameters);
    uint16_t opcode = ys_get_u16(parameters);
    if (!ys_reader_ok(parameters))
        return;
    host->command_credits = credits;
    if (is_running(host, opcode))
        finish_command(host, status, parameters);
}
