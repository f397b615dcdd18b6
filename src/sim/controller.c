/* The simulated controller's HCI side: packets in and out, and what all of its parts do. */
#include "sim/controller_parts.h"

#include <stdlib.h>
#include <string.h>

void controller_send(struct ys_controller *controller, struct ys_writer *writer)
{
    if (writer->start[0] == YS_HCI_EVENT)
        ys_hci_end(writer);
    controller->settings.send(controller->settings.context, writer->start, ys_writer_stored(writer));
}

struct ys_address controller_own_address(struct ys_controller *controller, uint8_t type, const struct ys_address *peer)
{
    struct ys_address own;
    if (type >= YS_HCI_OWN_RESOLVABLE && resolving_own(controller, peer, &own))
        return own;
    return (type & 1) == YS_ADDRESS_RANDOM ? controller->random_address : controller->settings.address;
}

bool controller_is_own(const struct ys_controller *controller, const struct ys_address *own,
                       const struct ys_address *target)
{
    return ys_address_is_equal(target, own) || resolving_is_own(controller, target);
}

bool controller_accepts(const struct ys_controller *controller, const struct ys_address *address)
{
    for (uint8_t i = 0; i < controller->accepted; i++) {
        if (resolving_is(controller, &controller->accept_list[i], address))
            return true;
    }
    return false;
}

bool controller_begin_le_event(const struct ys_controller *controller, struct ys_writer *writer, uint8_t subevent)
{
    if ((controller->le_event_mask >> (subevent - 1) & 1) == 0)
        return false;
    ys_hci_event_begin(writer, YS_HCI_LE_META);
    ys_put_u8(writer, subevent);
    return true;
}

/* What a host that resolves is told: who it is, and which addresses were on the air (7.7.65.10). */
static void put_enhanced(struct ys_controller *controller, struct ys_writer *writer,
                         const struct ys_hci_connection *complete)
{
    struct ys_hci_connection told = *complete;
    struct ys_address none = {.type = YS_ADDRESS_PUBLIC};
    struct ys_address own = none;
    bool resolved = resolving_identify(controller, &complete->peer, &told.peer);
    (void)resolving_own(controller, &told.peer, &own);
    if (resolved)
        told.peer.type = (uint8_t)(told.peer.type + YS_HCI_IDENTITY);
    ys_put_u8(writer, told.status);
    ys_put_u16(writer, told.handle);
    ys_put_u8(writer, told.role);
    ys_put_hci_address(writer, &told.peer);
    ys_put_address(writer, complete->own_is_made ? &own : &none);
    ys_put_address(writer, resolved ? &complete->peer : &none);
    ys_put_u16(writer, told.interval);
    ys_put_u16(writer, told.latency);
    ys_put_u16(writer, told.timeout);
    ys_put_u8(writer, told.clock_accuracy);
}

void controller_connection_complete(struct ys_controller *controller, const struct ys_hci_connection *complete)
{
    uint8_t bytes[YS_HCI_EVENT_MAX];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    if (controller_begin_le_event(controller, &writer, YS_HCI_LE_ENHANCED_CONNECTION_COMPLETE)) {
        put_enhanced(controller, &writer, complete);
    } else if (controller_begin_le_event(controller, &writer, YS_HCI_LE_CONNECTION_COMPLETE)) {
        struct ys_hci_connection told = *complete;
        (void)resolving_identify(controller, &complete->peer, &told.peer);
        ys_put_hci_connection(&writer, &told);
    } else {
        return;
    }
    controller_send(controller, &writer);
}

enum ys_phy phy_of_hci(uint8_t phy)
{
    return phy == YS_HCI_PHY_2M ? YS_PHY_2M : phy == YS_HCI_PHY_CODED ? YS_PHY_CODED_S8 : YS_PHY_1M;
}

uint8_t phy_to_hci(enum ys_phy phy)
{
    return phy == YS_PHY_1M ? YS_HCI_PHY_1M : phy == YS_PHY_2M ? YS_HCI_PHY_2M : YS_HCI_PHY_CODED;
}

static uint64_t transmit(struct ys_controller *controller, const struct sending_on *on, const struct ys_writer *pdu)
{
    return ys_radio_send(controller->radio, &(struct ys_sending){
                                                .channel = on->channel,
                                                .phy = on->phy,
                                                .access_address = YS_LINK_ADVERTISING_ACCESS_ADDRESS,
                                                .crc_init = YS_LINK_ADVERTISING_CRC_INIT,
                                                .sender = controller->settings.number,
                                                .power_dbm = on->power_dbm,
                                                .pdu = pdu->start,
                                                .length = (uint16_t)ys_writer_stored(pdu),
                                            });
}

uint64_t controller_transmit_advertising(struct ys_controller *controller, const struct sending_on *on,
                                         const struct ys_link_advertising *pdu)
{
    uint8_t bytes[YS_LINK_PDU_MAX];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    ys_put_link_advertising(&writer, pdu);
    return transmit(controller, on, &writer);
}

uint64_t controller_transmit_extended(struct ys_controller *controller, const struct sending_on *on,
                                      const struct ys_link_extended *pdu)
{
    uint8_t bytes[YS_LINK_PDU_MAX];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    ys_put_link_extended(&writer, pdu);
    return transmit(controller, on, &writer);
}

bool controller_heard(const struct ys_air_packet *packet)
{
    return packet->crc_good && packet->crc == ys_link_crc(YS_LINK_ADVERTISING_CRC_INIT, packet->pdu, packet->length);
}

bool controller_takes_advertising(const struct ys_air_packet *packet, struct ys_link_advertising *pdu)
{
    return controller_heard(packet) && ys_link_advertising_decode(packet->pdu, packet->length, pdu);
}

void controller_reset(struct ys_controller *controller)
{
    advertisers_stop(controller);
    scanners_stop(controller);
    initiators_stop(controller);
    links_stop(controller);
    controller->generation = GENERATION_ANY;
    links_reset(controller);
    controller->has_random_address = false;
    controller->accepted = 0;
    resolving_reset(controller);
    /* Part E 7.3.1, 7.8.1: all events of the first versions are on; LE ones are not shown to a host that never asks */
    controller->event_mask = UINT64_C(0x00001fffffffffff);
    controller->le_event_mask = UINT64_C(0x1f);
    advertiser_init(&controller->advertiser, controller);
    for (size_t i = 0; controller->sets != NULL && i < controller->settings.sets; i++)
        advertiser_init(&controller->sets[i], controller);
    scanners_init(controller);
    initiators_init(controller);
}

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

/* Whether the other generation of commands has been used since the last reset. */
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
    const struct command_row *row = commands_find(command->opcode);
    uint8_t status = YS_HCI_UNKNOWN_COMMAND;
    if (row == NULL)
        row = commands_find_link(command->opcode);
    if (row == NULL && controller->settings.sets > 0)
        row = commands_find_extended(command->opcode);
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
    /* 7.8.13: a cancelled connection is then completed with that error */
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

struct ys_controller *ys_controller_new(struct ys_radio *radio, const struct ys_controller_settings *settings)
{
    struct ys_controller *controller = calloc(1, sizeof *controller);
    if (controller == NULL)
        return NULL;
    controller->settings = *settings;
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
    controller->buffers = calloc(controller->settings.buffer_count, sizeof *controller->buffers);
    if (controller->buffers == NULL) {
        free(controller);
        return NULL;
    }
    links_init(controller);
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
    free(controller->sets);
    free(controller->scanning.seen);
    free(controller->buffers);
    free(controller);
}
