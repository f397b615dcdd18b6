/* The simulated controller's HCI side: commands are rows of a table, each answered as the standard says. */
#include "sim/controller_parts.h"

#include <stdlib.h>
#include <string.h>

typedef uint8_t command_fn(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer);

void controller_send(struct ys_controller *controller, struct ys_writer *writer)
{
    controller->settings.send(controller->settings.context, writer->start, ys_writer_stored(writer));
}

struct ys_address controller_own_address(const struct ys_controller *controller, uint8_t type)
{
    return type == YS_ADDRESS_RANDOM ? controller->random_address : controller->settings.address;
}

void controller_connection_complete(struct ys_controller *controller, const struct ys_hci_connection *complete)
{
    uint8_t bytes[YS_HCI_EVENT_MAX];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    if ((controller->le_event_mask & 1) == 0)
        return;
    ys_hci_event_begin(&writer, YS_HCI_LE_META);
    ys_put_u8(&writer, YS_HCI_LE_CONNECTION_COMPLETE);
    ys_put_hci_connection(&writer, complete);
    ys_hci_end(&writer);
    controller_send(controller, &writer);
}

void controller_transmit_advertising(struct ys_controller *controller, uint8_t channel,
                                     const struct ys_link_advertising *pdu, uint64_t *end_ns)
{
    uint8_t bytes[YS_LINK_PDU_MAX];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    ys_put_link_advertising(&writer, pdu);
    *end_ns = ys_radio_send(controller->radio, &(struct ys_sending){
                                                   .channel = channel,
                                                   .phy = YS_PHY_1M,
                                                   .access_address = YS_LINK_ADVERTISING_ACCESS_ADDRESS,
                                                   .crc_init = YS_LINK_ADVERTISING_CRC_INIT,
                                                   .sender = controller->settings.number,
                                                   .power_dbm = controller->settings.power_dbm,
                                                   .pdu = bytes,
                                                   .length = (uint16_t)ys_writer_stored(&writer),
                                               });
}

bool controller_takes_advertising(const struct ys_air_packet *packet, struct ys_link_advertising *pdu)
{
    return packet->crc_good && packet->crc == ys_link_crc(YS_LINK_ADVERTISING_CRC_INIT, packet->pdu, packet->length) &&
           ys_link_advertising_decode(packet->pdu, packet->length, pdu);
}

static uint8_t reset(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    (void)parameters;
    (void)answer;
    advertiser_stop(controller);
    scanner_stop(controller);
    initiator_stop(controller);
    links_stop(controller);
    controller->has_random_address = false;
    /* Part E 7.3.1, 7.8.1: all events of the first versions are on; LE ones are not shown to a host that never asks */
    controller->event_mask = UINT64_C(0x00001fffffffffff);
    controller->le_event_mask = UINT64_C(0x1f);
    advertiser_init(controller);
    scanner_init(controller);
    return YS_HCI_OK;
}

static uint8_t read_features(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    (void)controller;
    (void)parameters;
    ys_put_u64(answer, YS_HCI_FEATURE_LE | UINT64_C(1) << 37); /* LE, and no BR/EDR */
    return YS_HCI_OK;
}

static uint8_t le_read_features(struct ys_controller *controller, struct ys_reader *parameters,
                                struct ys_writer *answer)
{
    (void)controller;
    (void)parameters;
    ys_put_u64(answer, 0);
    return YS_HCI_OK;
}

static uint8_t set_event_mask(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    (void)answer;
    controller->event_mask = ys_get_u64(parameters);
    return YS_HCI_OK;
}

static uint8_t le_set_event_mask(struct ys_controller *controller, struct ys_reader *parameters,
                                 struct ys_writer *answer)
{
    (void)answer;
    controller->le_event_mask = ys_get_u64(parameters);
    return YS_HCI_OK;
}

static uint8_t le_read_buffer_size(struct ys_controller *controller, struct ys_reader *parameters,
                                   struct ys_writer *answer)
{
    (void)parameters;
    ys_put_u16(answer, controller->settings.buffer_length);
    ys_put_u8(answer, controller->settings.buffer_count);
    return YS_HCI_OK;
}

static uint8_t read_address(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    (void)parameters;
    ys_put_address(answer, &controller->settings.address);
    return YS_HCI_OK;
}

static uint8_t set_random_address(struct ys_controller *controller, struct ys_reader *parameters,
                                  struct ys_writer *answer)
{
    struct ys_address address = {.type = YS_ADDRESS_RANDOM};
    (void)answer;
    ys_get_address(parameters, &address);
    /* 7.8.4: not while it is in use */
    if (controller->advertiser.on || controller->scanner.listener.on || controller->initiator.listener.on)
        return YS_HCI_COMMAND_DISALLOWED;
    controller->random_address = address;
    controller->has_random_address = true;
    return YS_HCI_OK;
}

static uint8_t set_advertising(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    struct ys_hci_advertising wanted;
    (void)answer;
    ys_get_hci_advertising(parameters, &wanted);
    if (controller->advertiser.on)
        return YS_HCI_COMMAND_DISALLOWED;
    if (wanted.type != YS_HCI_ADVERTISE_CONNECTABLE && wanted.type != YS_HCI_ADVERTISE_SCANNABLE &&
        wanted.type != YS_HCI_ADVERTISE_BEACON)
        return YS_HCI_UNSUPPORTED;
    if (wanted.filter != 0 || wanted.own_address_type > YS_ADDRESS_RANDOM)
        return YS_HCI_UNSUPPORTED;
    if (wanted.interval_min < 0x20 || wanted.interval_min > wanted.interval_max || wanted.interval_max > 0x4000 ||
        (wanted.channels & 7) == 0)
        return YS_HCI_INVALID_PARAMETERS;
    controller->advertiser.parameters = wanted;
    return YS_HCI_OK;
}

static uint8_t take_payload(struct ys_reader *parameters, struct ys_hci_payload *payload)
{
    struct ys_hci_payload taken;
    ys_get_hci_payload(parameters, &taken);
    if (!ys_reader_done(parameters))
        return YS_HCI_INVALID_PARAMETERS;
    *payload = taken;
    return YS_HCI_OK;
}

static uint8_t set_advertising_data(struct ys_controller *controller, struct ys_reader *parameters,
                                    struct ys_writer *answer)
{
    (void)answer;
    return take_payload(parameters, &controller->advertiser.data);
}

static uint8_t set_scan_response(struct ys_controller *controller, struct ys_reader *parameters,
                                 struct ys_writer *answer)
{
    (void)answer;
    return take_payload(parameters, &controller->advertiser.response);
}

static uint8_t set_advertising_enable(struct ys_controller *controller, struct ys_reader *parameters,
                                      struct ys_writer *answer)
{
    uint8_t on = ys_get_u8(parameters);
    (void)answer;
    return on > 1 ? YS_HCI_INVALID_PARAMETERS : advertiser_enable(controller, on != 0);
}

static bool scan_times_are_valid(uint16_t interval, uint16_t window)
{
    return window >= 4 && interval >= window && interval <= 0x4000;
}

static uint8_t set_scan(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    struct ys_hci_scan wanted;
    (void)answer;
    ys_get_hci_scan(parameters, &wanted);
    if (controller->scanner.listener.on)
        return YS_HCI_COMMAND_DISALLOWED;
    if (wanted.filter != 0 || wanted.own_address_type > YS_ADDRESS_RANDOM)
        return YS_HCI_UNSUPPORTED;
    if (wanted.active > 1 || !scan_times_are_valid(wanted.interval, wanted.window))
        return YS_HCI_INVALID_PARAMETERS;
    controller->scanner.parameters = wanted;
    return YS_HCI_OK;
}

static uint8_t set_scan_enable(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    uint8_t on = ys_get_u8(parameters);
    uint8_t filter_duplicates = ys_get_u8(parameters);
    (void)answer;
    if (on > 1 || filter_duplicates > 1)
        return YS_HCI_INVALID_PARAMETERS;
    if (filter_duplicates != 0)
        return YS_HCI_UNSUPPORTED;
    return scanner_enable(controller, on != 0);
}

static uint8_t create_connection(struct ys_controller *controller, struct ys_reader *parameters,
                                 struct ys_writer *answer)
{
    struct ys_hci_connect wanted;
    (void)answer;
    ys_get_hci_connect(parameters, &wanted);
    if (controller->initiator.listener.on)
        return YS_HCI_COMMAND_DISALLOWED;
    if (wanted.filter != 0 || wanted.own_address_type > YS_ADDRESS_RANDOM || wanted.peer.type > YS_ADDRESS_RANDOM)
        return YS_HCI_UNSUPPORTED;
    if (!ys_reader_done(parameters) || !scan_times_are_valid(wanted.scan_interval, wanted.scan_window) ||
        wanted.interval_min > wanted.interval_max ||
        !ys_link_parameters_are_valid(wanted.interval_max, wanted.latency, wanted.timeout))
        return YS_HCI_INVALID_PARAMETERS;
    if (wanted.own_address_type == YS_ADDRESS_RANDOM && !controller->has_random_address)
        return YS_HCI_INVALID_PARAMETERS;
    controller->initiator.parameters = wanted;
    return initiator_start(controller);
}

static uint8_t cancel_connection(struct ys_controller *controller, struct ys_reader *parameters,
                                 struct ys_writer *answer)
{
    (void)parameters;
    (void)answer;
    if (!controller->initiator.listener.on)
        return YS_HCI_COMMAND_DISALLOWED;
    initiator_stop(controller);
    return YS_HCI_OK;
}

static uint8_t disconnect(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    struct link *link = link_find(controller, ys_get_u16(parameters) & 0x0fff);
    uint8_t reason = ys_get_u8(parameters);
    (void)answer;
    if (link == NULL)
        return YS_HCI_UNKNOWN_CONNECTION;
    return link_terminate(link, reason);
}

/* Each command: how many bytes of parameters, and whether it is answered by Command Status. */
static const struct row {
    uint16_t opcode;
    uint8_t length;
    bool status_only;
    command_fn *run;
} rows[] = {
    {YS_HCI_RESET, 0, false, reset},
    {YS_HCI_READ_FEATURES, 0, false, read_features},
    {YS_HCI_LE_READ_FEATURES, 0, false, le_read_features},
    {YS_HCI_SET_EVENT_MASK, 8, false, set_event_mask},
    {YS_HCI_LE_SET_EVENT_MASK, 8, false, le_set_event_mask},
    {YS_HCI_LE_READ_BUFFER_SIZE, 0, false, le_read_buffer_size},
    {YS_HCI_READ_ADDRESS, 0, false, read_address},
    {YS_HCI_LE_SET_RANDOM_ADDRESS, 6, false, set_random_address},
    {YS_HCI_LE_SET_ADVERTISING_PARAMETERS, 15, false, set_advertising},
    {YS_HCI_LE_SET_ADVERTISING_DATA, 32, false, set_advertising_data},
    {YS_HCI_LE_SET_SCAN_RESPONSE_DATA, 32, false, set_scan_response},
    {YS_HCI_LE_SET_ADVERTISING_ENABLE, 1, false, set_advertising_enable},
    {YS_HCI_LE_SET_SCAN_PARAMETERS, 7, false, set_scan},
    {YS_HCI_LE_SET_SCAN_ENABLE, 2, false, set_scan_enable},
    {YS_HCI_LE_CREATE_CONNECTION, 25, true, create_connection},
    {YS_HCI_LE_CREATE_CONNECTION_CANCEL, 0, false, cancel_connection},
    {YS_HCI_DISCONNECT, 3, true, disconnect},
};

static const struct row *find_row(uint16_t opcode)
{
    for (size_t i = 0; i < sizeof rows / sizeof rows[0]; i++) {
        if (rows[i].opcode == opcode)
            return &rows[i];
    }
    return NULL;
}

static void answer_status(struct ys_controller *controller, uint16_t opcode, uint8_t status)
{
    uint8_t bytes[8];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    ys_hci_event_begin(&writer, YS_HCI_COMMAND_STATUS);
    ys_put_u8(&writer, status);
    ys_put_u8(&writer, 1);
    ys_put_u16(&writer, opcode);
    ys_hci_end(&writer);
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
    ys_hci_end(&writer);
    controller_send(controller, &writer);
}

static void command_in(struct ys_controller *controller, struct ys_hci_command *command)
{
    uint8_t bytes[64];
    struct ys_writer answer = ys_writer_to(bytes, sizeof bytes);
    const struct row *row = find_row(command->opcode);
    uint8_t status = YS_HCI_UNKNOWN_COMMAND;
    if (row != NULL && ys_reader_left(&command->parameters) != row->length)
        status = YS_HCI_INVALID_PARAMETERS;
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
    controller->radio = radio;
    controller->clock = ys_radio_clock(radio);
    controller->chance = ys_chance_of(settings->seed, settings->number);
    controller->buffers = calloc(controller->settings.buffer_count, sizeof *controller->buffers);
    if (controller->buffers == NULL) {
        free(controller);
        return NULL;
    }
    links_init(controller);
    (void)reset(controller, NULL, NULL);
    return controller;
}

void ys_controller_free(struct ys_controller *controller)
{
    if (controller == NULL)
        return;
    advertiser_stop(controller);
    scanner_stop(controller);
    initiator_stop(controller);
    links_stop(controller);
    free(controller->buffers);
    free(controller);
}
