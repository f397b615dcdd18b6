/* Commands that the host does not know: a list of its owner's, of which the first is on its way or is the next. */
#include <yarnswift/command.h>

#include <string.h>

#include "host/core/clock.h"
#include "host/core/context.h"
#include "host/core/events.h"
#include "host/core/extras.h"
#include "host/core/state.h"
#include "host/hci/start.h"
#include "wire/hci.h"

#define VENDOR_EVENT 0xff

static struct ys_commands *commands_of(const struct ys_host *host)
{
    return (struct ys_commands *)(void *)ys_extra_find(host, YS_EXTRA_COMMANDS); /* its first field */
}

static struct ys_command *current(const struct ys_commands *commands)
{
    return commands->at_start != NULL ? commands->at_start : commands->first;
}

/* The next one may go, if there is one and it is its time. */
static void want_next(struct ys_host *host, const struct ys_commands *commands)
{
    if (current(commands) != NULL && (host->state == STATE_READY || commands->at_start != NULL))
        host->commands_due |= BIT(COMMAND_OTHER);
}

static void compose(struct ys_host *host, struct ys_writer *writer)
{
    const struct ys_command *command = current(commands_of(host));
    ys_put_bytes(writer, command->parameters, command->length);
}

static void end(struct ys_host *host, uint8_t status, struct ys_reader *answer)
{
    struct ys_commands *commands = commands_of(host);
    struct ys_command *command = current(commands);
    if (commands->at_start != NULL) {
        commands->at_start = command->next;
    } else {
        commands->first = command->next;
        command->waits = false;
    }
    want_next(host, commands);
    if (status != YS_HCI_OK && host->state == STATE_STARTING && !command->may_fail)
        ys_start_failed(host, YS_EVENT_START_FAILED, commands->row.name, status);
    if (command->done != NULL)
        command->done(host, command, status, answer);
}

static void complete(struct ys_host *host, struct ys_reader *answer) /* cppcheck-suppress constParameter */
{
    struct ys_reader own = *answer; /* what its owner makes of it is not the host's trouble */
    end(host, YS_HCI_OK, &own);
}

static void failed(struct ys_host *host, const char *name, uint8_t status)
{
    struct ys_reader nothing = ys_reader_of(NULL, 0);
    (void)name;
    end(host, status, &nothing);
}

static const struct ys_command_row *row(const struct ys_host *host, uint8_t number)
{
    static const struct ys_command_row plain = {0, "a command", NULL, complete, failed};
    static const struct ys_command_row with_parameters = {0, "a command", compose, complete, failed};
    if (number != COMMAND_OTHER)
        return NULL;
    struct ys_commands *commands = commands_of(host);
    const struct ys_command *command = current(commands);
    if (command == NULL)
        return &plain;
    commands->row = command->length > 0 ? with_parameters : plain;
    commands->row.opcode = command->opcode;
    commands->row.name = command->name != NULL ? command->name : plain.name;
    return &commands->row;
}

/* A start is seen by its first command, before that is sent. */
static uint32_t run(struct ys_host *host, uint32_t now_ms)
{
    struct ys_commands *commands = commands_of(host);
    (void)now_ms;
    if ((host->commands_due & BIT(COMMAND_RESET)) != 0)
        commands->at_start = commands->starts;
    if (host->command_running != COMMAND_OTHER)
        want_next(host, commands);
    return YS_FOREVER;
}

static void event(struct ys_host *host, uint8_t code, const struct ys_reader *parameters)
{
    const struct ys_commands *commands = commands_of(host);
    struct ys_reader reader = *parameters;
    if (code == VENDOR_EVENT && commands->vendor != NULL) {
        commands->vendor(host, commands->vendor_context, &reader);
    } else if (code == YS_HCI_LE_META && commands->event != NULL) {
        uint8_t subevent = ys_get_u8(&reader);
        commands->event(host, subevent, &reader, commands->event_context);
    }
}

void ys_host_use_commands(struct ys_host *host, struct ys_commands *commands)
{
    static const struct ys_extra_calls calls = {.kind = YS_EXTRA_COMMANDS, .row = row, .event = event, .run = run};
    memset(commands, 0, sizeof *commands);
    ys_extra_add(host, &commands->extra, &calls, 0);
}

static void append(struct ys_command **last, struct ys_command *command)
{
    while (*last != NULL)
        last = &(*last)->next;
    command->next = NULL;
    *last = command;
}

void ys_command_at_start(struct ys_commands *commands, struct ys_command *command)
{
    append(&commands->starts, command);
}

enum ys_result ys_command_send(struct ys_host *host, struct ys_command *command)
{
    YS_NOT_IN_INTERRUPT(host, "ys_command_send");
    struct ys_commands *commands = commands_of(host);
    if (commands == NULL)
        return YS_ERROR_UNSUPPORTED;
    if (host->state != STATE_READY)
        return YS_ERROR_NOT_READY;
    if (command->length > YS_COMMAND_LENGTH_MOST)
        return YS_ERROR_ARGUMENT;
    if (command->waits)
        return YS_ERROR_BUSY;
    append(&commands->first, command);
    command->waits = true;
    if (host->command_running != COMMAND_OTHER)
        want_next(host, commands);
    ys_wake(host);
    return YS_OK;
}

void ys_command_hear_vendor(struct ys_commands *commands,
                            void (*vendor)(struct ys_host *host, void *context, struct ys_reader *parameters),
                            void *context)
{
    commands->vendor = vendor;
    commands->vendor_context = context;
}
