/* A simulated controller: its creation, and the packets of its host. */
#include "sim/controller.h"

#include <stdlib.h>
#include <string.h>

#include "sim/advertiser.h"
#include "sim/airing.h"
#include "sim/command_rows.h"
#include "sim/commands_host.h"
#include "sim/controller_state.h"
#include "sim/initiator.h"
#include "sim/link.h"
#include "sim/link_data.h"
#include "sim/link_time.h"
#include "sim/reset.h"
#include "sim/scanner.h"
#include "sim/to_host.h"

/* Separates the current of a controller's own work from that of its host's commands. */
#define CHANCE_OF_COMPUTING UINT64_C(0x900000000)

/* Vol 4 Part E 7.7.14, 7.7.15. */
static void answer_status(struct ys_controller *controller, uint16_t opcode, uint8_t status)
{
    uint8_t bytes[8];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    ys_hci_event_begin(&writer, YS_HCI_COMMAND_STATUS);
    ys_put_u8(&writer, status);
    ys_put_u8(&writer, 1);
    ys_put_u16(&writer, opcode);
    controller_send(controller, &writer);
}

/* Vol 4 Part E 7.7.14, 7.7.15. */
static void answer_complete(struct ys_controller *controller, uint16_t opcode, uint8_t status,
                            const struct ys_writer *answer)
{
    uint8_t bytes[YS_HCI_EVENT_MAX];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    ys_hci_event_begin(&writer, YS_HCI_COMMAND_COMPLETE);
    ys_put_u8(&writer, 1);
    ys_put_u16(&writer, opcode);
    ys_put_u8(&writer, status);
    ys_put_bytes(&writer, answer->start, ys_writer_stored(answer));
    controller_send(controller, &writer);
}

/* Whether the other generation of commands has been used since the last reset (Vol 4 Part E 3.1.1). */
static bool is_late(struct ys_controller *controller, enum generation generation)
{
    if (generation == GENERATION_ANY)
        return false;
    bool late = controller->generation != GENERATION_ANY && controller->generation != generation;
    if (!late)
        controller->generation = generation;
    return late;
}

static void command_in(struct ys_controller *controller, struct ys_hci_command *command)
{
    uint8_t bytes[64];
    struct ys_writer answer = ys_writer_to(bytes, sizeof bytes);
    const struct command_row *row = command_row_of(controller, command->opcode);
    uint8_t status = YS_HCI_UNKNOWN_COMMAND;
    controller->commands++;
    if (row != NULL && row->length >= 0 && ys_reader_left(&command->parameters) != (size_t)row->length)
        status = YS_HCI_INVALID_PARAMETERS;
    else if (row != NULL && is_late(controller, row->generation))
        status = YS_HCI_COMMAND_DISALLOWED;
    else if (row != NULL)
        status = row->run(controller, &command->parameters, &answer);
    if (row == NULL || row->status_only)
        answer_status(controller, command->opcode, status);
    else
        answer_complete(controller, command->opcode, status, &answer);
    /* Vol 4 Part E 7.8.13: a cancelled connection is then completed with that error */
    if (command->opcode == YS_HCI_LE_CREATE_CONNECTION_CANCEL && status == YS_HCI_OK)
        controller_connection_complete(controller, &(struct ys_hci_connection){.status = YS_HCI_UNKNOWN_CONNECTION});
}

static void data_in(struct ys_controller *controller, struct ys_reader *reader)
{
    struct ys_hci_data data;
    ys_get_hci_data(reader, &data);
    const uint8_t *bytes = ys_get_bytes(reader, data.length);
    struct link *link = link_find(controller, data.handle);
    if (ys_reader_done(reader) && link != NULL && data.length > 0 && data.length <= controller->settings.buffer_length)
        link_send(link, &data, bytes);
}

void ys_controller_receive(struct ys_controller *controller, const uint8_t *packet, size_t length)
{
    struct ys_reader reader = ys_reader_of(packet, length);
    struct ys_hci_command command;
    uint8_t type = ys_get_u8(&reader);
    if (type == YS_HCI_COMMAND && ys_get_hci_command(&reader, &command))
        command_in(controller, &command);
    else if (type == YS_HCI_DATA)
        data_in(controller, &reader);
}

bool ys_controller_made(const struct ys_controller *controller, struct ys_address *made)
{
    return advertisers_made(controller, made);
}

const struct ys_radio_use *ys_controller_use(const struct ys_controller *controller)
{
    return &controller->use;
}

struct ys_controller *ys_controller_new(struct ys_radio *radio, const struct ys_controller_settings *settings)
{
    struct ys_controller *controller = calloc(1, sizeof *controller);
    if (controller == NULL)
        return NULL;
    controller->settings = *settings;
    controller->character = settings->character != NULL ? *settings->character : (struct ys_character){0};
    if (controller->settings.buffer_length == 0)
        controller->settings.buffer_length = controller->character.buffer_length;
    if (controller->settings.buffer_count == 0)
        controller->settings.buffer_count = controller->character.buffer_count;
    if (controller->settings.event_length_us == 0)
        controller->settings.event_length_us = controller->character.event_length_us;
    if (controller->settings.buffer_length == 0)
        controller->settings.buffer_length = ACL_MAX;
    if (controller->settings.buffer_count == 0)
        controller->settings.buffer_count = 8;
    if (controller->settings.clock_accuracy_ppm == 0)
        controller->settings.clock_accuracy_ppm = 50;
    controller->features = controller_features(&controller->settings);
    controller->radio = radio;
    controller->clock = ys_radio_clock(radio);
    controller->chance = ys_chance_of(settings->seed, settings->number);
    controller->computing.chance = ys_chance_of(settings->seed, CHANCE_OF_COMPUTING + settings->number);
    controller_reset(controller);
    return controller;
}

void ys_controller_free(struct ys_controller *controller)
{
    if (controller == NULL)
        return;
    advertisers_stop(controller);
    scanners_stop(controller);
    initiators_stop(controller);
    links_stop(controller);
    computing_stop(controller);
    for (size_t i = 0; i < controller->link_count; i++)
        free(controller->links[i]);
    free(controller->scanners);
    free(controller->initiators);
    free(controller->sets);
    free(controller->scanning.seen);
    free(controller->buffers);
    free(controller);
}
