/* What a controller is, can, measures and prefers. */
#include <yarnswift/controller.h>

#include <string.h>

#include "host/core/state.h"
#include "host/hci/start.h"
#include "wire/hci.h"
#include "wire/hci_link.h"

#define ALL_PHYS       7
#define TIME_OF_BYTE   8
#define OVERHEAD_BYTES 14 /* of a packet on 1M, with its check value on an encrypted link */

/* its facts */

bool ys_controller_supports(const struct ys_controller_facts *facts, uint16_t place)
{
    return !facts->known || place / 8u >= sizeof facts->commands || (facts->commands[place / 8] >> place % 8 & 1) != 0;
}

static bool is_met(const struct ys_controller_facts *facts, const struct ys_need *need)
{
    return ys_controller_supports(facts, need->place) ||
           (need->other != 0 && ys_controller_supports(facts, need->other));
}

/* Vol 4 Part E 7.4.1. */
static void version_read(struct ys_host *host, struct ys_command *command, uint8_t status, struct ys_reader *answer)
{
    struct ys_controller_facts *facts = command->context;
    uint8_t version = ys_get_u8(answer);
    uint16_t revision = ys_get_u16(answer);
    (void)ys_get_u8(answer); /* of the link layer */
    uint16_t company = ys_get_u16(answer);
    if (status != YS_HCI_OK || !ys_reader_ok(answer))
        return;
    facts->version = version;
    facts->revision = revision;
    facts->company = company;
    ys_host_log(host, "the controller's version of HCI is", version);
    ys_host_log(host, "the controller is of company", company);
}

/* Vol 4 Part E 7.4.2: what it lacks is said in one message. */
static void commands_read(struct ys_host *host, struct ys_command *command, uint8_t status, struct ys_reader *answer)
{
    struct ys_controller_facts *facts = command->context;
    struct ys_writer writer = ys_writer_to(facts->lacks, sizeof facts->lacks - 1);
    bool lacks = false;
    facts->known = status == YS_HCI_OK && ys_reader_left(answer) == sizeof facts->commands;
    if (!facts->known)
        return;
    ys_get_copy(answer, facts->commands, sizeof facts->commands);
    for (uint8_t i = 0; i < facts->need_count; i++) {
        if (is_met(facts, &facts->needs[i]))
            continue;
        ys_put_text(&writer, lacks ? ", " : "the controller lacks ");
        ys_put_text(&writer, facts->needs[i].name);
        lacks = true;
    }
    facts->lacks[ys_writer_stored(&writer)] = '\0';
    if (lacks)
        ys_start_failed(host, YS_EVENT_START_FAILED, facts->lacks, YS_HCI_UNSUPPORTED);
}

void ys_controller_read(struct ys_commands *commands, struct ys_controller_facts *facts, const struct ys_need *needs,
                        uint8_t need_count)
{
    memset(facts, 0, sizeof *facts);
    facts->needs = needs;
    facts->need_count = needs != NULL ? need_count : 0;
    facts->reads[0] = (struct ys_command){.opcode = YS_HCI_READ_VERSION,
                                          .name = "Read Local Version Information",
                                          .may_fail = true,
                                          .done = version_read,
                                          .context = facts};
    facts->reads[1] = (struct ys_command){.opcode = YS_HCI_READ_COMMANDS,
                                          .name = "Read Local Supported Commands",
                                          .may_fail = true,
                                          .done = commands_read,
                                          .context = facts};
    ys_command_at_start(commands, &facts->reads[0]);
    ys_command_at_start(commands, &facts->reads[1]);
}

/* questions */

static void tell(struct ys_host *host, struct ys_command *command, uint8_t status, int16_t value)
{
    struct ys_ask *ask = (struct ys_ask *)(void *)command; /* its first field */
    if (ask->done != NULL)
        ask->done(host, ask, status, value);
}

/* Vol 4 Part E 7.3.35, 7.5.4: a connection, and a power. */
static void power_read(struct ys_host *host, struct ys_command *command, uint8_t status, struct ys_reader *answer)
{
    (void)ys_get_u16(answer);
    int8_t dbm = ys_get_i8(answer);
    tell(host, command, status == YS_HCI_OK && !ys_reader_ok(answer) ? YS_HCI_UNSPECIFIED : status, dbm);
}

/* Vol 4 Part E 7.8.34. */
static void length_read(struct ys_host *host, struct ys_command *command, uint8_t status, struct ys_reader *answer)
{
    uint16_t bytes = ys_get_u16(answer);
    tell(host, command, status == YS_HCI_OK && !ys_reader_ok(answer) ? YS_HCI_UNSPECIFIED : status, (int16_t)bytes);
}

static void was_told(struct ys_host *host, struct ys_command *command, uint8_t status, struct ys_reader *answer)
{
    (void)answer;
    tell(host, command, status, 0);
}

static enum ys_result send(struct ys_host *host, struct ys_ask *ask, uint16_t opcode, const char *name,
                           const struct ys_writer *parameters, ys_command_done *done)
{
    if (ask->command.waits)
        return YS_ERROR_BUSY;
    ask->command = (struct ys_command){.opcode = opcode,
                                       .name = name,
                                       .parameters = ask->parameters,
                                       .length = (uint8_t)ys_writer_stored(parameters),
                                       .done = done};
    return ys_command_send(host, &ask->command);
}

static struct ys_writer parameters_of(struct ys_ask *ask)
{
    return ys_writer_to(ask->parameters, ask->command.waits ? 0 : sizeof ask->parameters);
}

/* Vol 4 Part E 7.5.4. */
enum ys_result ys_ask_strength(struct ys_host *host, struct ys_ask *ask, uint16_t connection)
{
    struct ys_writer writer = parameters_of(ask);
    ys_put_u16(&writer, connection);
    return send(host, ask, YS_HCI_READ_RSSI, "Read RSSI", &writer, power_read);
}

/* Vol 4 Part E 7.3.35. */
enum ys_result ys_ask_power(struct ys_host *host, struct ys_ask *ask, uint16_t connection, bool greatest)
{
    struct ys_writer writer = parameters_of(ask);
    ys_put_u16(&writer, connection);
    ys_put_u8(&writer, greatest);
    return send(host, ask, YS_HCI_READ_POWER, "Read Transmit Power Level", &writer, power_read);
}

/* Vol 4 Part E 7.8.34. */
enum ys_result ys_ask_default_length(struct ys_host *host, struct ys_ask *ask)
{
    struct ys_writer writer = parameters_of(ask);
    return send(host, ask, YS_HCI_LE_READ_DEFAULT_LENGTH, "LE Read Suggested Default Data Length", &writer,
                length_read);
}

/* Vol 4 Part E 7.8.35. */
enum ys_result ys_tell_default_length(struct ys_host *host, struct ys_ask *ask, uint16_t bytes)
{
    struct ys_writer writer = parameters_of(ask);
    if (bytes < 27 || bytes > 251)
        return YS_ERROR_ARGUMENT;
    ys_put_u16(&writer, bytes);
    ys_put_u16(&writer, (uint16_t)((bytes + OVERHEAD_BYTES) * TIME_OF_BYTE));
    return send(host, ask, YS_HCI_LE_WRITE_DEFAULT_LENGTH, "LE Write Suggested Default Data Length", &writer, was_told);
}

/* Vol 4 Part E 7.8.48. */
enum ys_result ys_tell_default_phys(struct ys_host *host, struct ys_ask *ask, uint8_t send_phys, uint8_t receive_phys)
{
    struct ys_writer writer = parameters_of(ask);
    if (send_phys > ALL_PHYS || receive_phys > ALL_PHYS)
        return YS_ERROR_ARGUMENT;
    ys_put_u8(&writer, (uint8_t)((send_phys == 0) | (receive_phys == 0) << 1));
    ys_put_u8(&writer, send_phys);
    ys_put_u8(&writer, receive_phys);
    return send(host, ask, YS_HCI_LE_SET_DEFAULT_PHY, "LE Set Default PHY", &writer, was_told);
}
