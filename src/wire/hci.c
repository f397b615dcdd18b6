/* HCI commands, events and data packets. */
#include "wire/hci.h"

void ys_hci_command_begin(struct ys_writer *writer, uint16_t opcode)
{
    ys_put_u8(writer, YS_HCI_COMMAND);
    ys_put_u16(writer, opcode);
    ys_put_u8(writer, 0);
}

void ys_hci_event_begin(struct ys_writer *writer, uint8_t event)
{
    ys_put_u8(writer, YS_HCI_EVENT);
    ys_put_u8(writer, event);
    ys_put_u8(writer, 0);
}

void ys_hci_end(struct ys_writer *writer)
{
    size_t header = writer->capacity > 0 && writer->start[0] == YS_HCI_COMMAND ? 4 : 3;
    if (ys_writer_ok(writer) && ys_writer_length(writer) >= header)
        writer->start[header - 1] = (uint8_t)(ys_writer_length(writer) - header);
}

/* Vol 4 Part E 5.4. */
bool ys_get_hci_command(struct ys_reader *reader, struct ys_hci_command *command)
{
    command->opcode = ys_get_u16(reader);
    uint8_t length = ys_get_u8(reader);
    command->parameters = ys_get_part(reader, length);
    return ys_reader_done(reader);
}

/* Vol 4 Part E 5.4. */
bool ys_get_hci_event(struct ys_reader *reader, uint8_t *event, struct ys_reader *parameters)
{
    *event = ys_get_u8(reader);
    uint8_t length = ys_get_u8(reader);
    *parameters = ys_get_part(reader, length);
    return ys_reader_done(reader);
}

void ys_put_hci_address(struct ys_writer *writer, const struct ys_address *address)
{
    ys_put_u8(writer, address->type);
    ys_put_address(writer, address);
}

void ys_get_hci_address(struct ys_reader *reader, struct ys_address *address)
{
    address->type = ys_get_u8(reader);
    ys_get_address(reader, address);
}

void ys_put_hci_advertising(struct ys_writer *writer, const struct ys_hci_advertising *parameters)
{
    ys_put_u16(writer, parameters->interval_min);
    ys_put_u16(writer, parameters->interval_max);
    ys_put_u8(writer, parameters->type);
    ys_put_u8(writer, parameters->own_address_type);
    ys_put_hci_address(writer, &parameters->peer);
    ys_put_u8(writer, parameters->channels);
    ys_put_u8(writer, parameters->filter);
}

void ys_get_hci_advertising(struct ys_reader *reader, struct ys_hci_advertising *parameters)
{
    parameters->interval_min = ys_get_u16(reader);
    parameters->interval_max = ys_get_u16(reader);
    parameters->type = ys_get_u8(reader);
    parameters->own_address_type = ys_get_u8(reader);
    ys_get_hci_address(reader, &parameters->peer);
    parameters->channels = ys_get_u8(reader);
    parameters->filter = ys_get_u8(reader);
}

void ys_put_hci_payload(struct ys_writer *writer, const struct ys_hci_payload *payload)
{
    ys_put_u8(writer, payload->length);
    ys_put_bytes(writer, payload->bytes, sizeof payload->bytes);
}

void ys_get_hci_payload(struct ys_reader *reader, struct ys_hci_payload *payload)
{
    payload->length = ys_get_u8(reader);
    ys_get_copy(reader, payload->bytes, sizeof payload->bytes);
    if (payload->length > sizeof payload->bytes)
        reader->bad = true;
}

void ys_put_hci_scan(struct ys_writer *writer, const struct ys_hci_scan *parameters)
{
    ys_put_u8(writer, parameters->active);
    ys_put_u16(writer, parameters->interval);
    ys_put_u16(writer, parameters->window);
    ys_put_u8(writer, parameters->own_address_type);
    ys_put_u8(writer, parameters->filter);
}

void ys_get_hci_scan(struct ys_reader *reader, struct ys_hci_scan *parameters)
{
    parameters->active = ys_get_u8(reader);
    parameters->interval = ys_get_u16(reader);
    parameters->window = ys_get_u16(reader);
    parameters->own_address_type = ys_get_u8(reader);
    parameters->filter = ys_get_u8(reader);
}

void ys_put_hci_connect(struct ys_writer *writer, const struct ys_hci_connect *parameters)
{
    ys_put_u16(writer, parameters->scan_interval);
    ys_put_u16(writer, parameters->scan_window);
    ys_put_u8(writer, parameters->filter);
    ys_put_hci_address(writer, &parameters->peer);
    ys_put_u8(writer, parameters->own_address_type);
    ys_put_u16(writer, parameters->interval_min);
    ys_put_u16(writer, parameters->interval_max);
    ys_put_u16(writer, parameters->latency);
    ys_put_u16(writer, parameters->timeout);
    ys_put_u16(writer, parameters->event_length_min);
    ys_put_u16(writer, parameters->event_length_max);
}

void ys_get_hci_connect(struct ys_reader *reader, struct ys_hci_connect *parameters)
{
    parameters->scan_interval = ys_get_u16(reader);
    parameters->scan_window = ys_get_u16(reader);
    parameters->filter = ys_get_u8(reader);
    ys_get_hci_address(reader, &parameters->peer);
    parameters->own_address_type = ys_get_u8(reader);
    parameters->interval_min = ys_get_u16(reader);
    parameters->interval_max = ys_get_u16(reader);
    parameters->latency = ys_get_u16(reader);
    parameters->timeout = ys_get_u16(reader);
    parameters->event_length_min = ys_get_u16(reader);
    parameters->event_length_max = ys_get_u16(reader);
}

void ys_put_hci_connection(struct ys_writer *writer, const struct ys_hci_connection *connection)
{
    ys_put_u8(writer, connection->status);
    ys_put_u16(writer, connection->handle);
    ys_put_u8(writer, connection->role);
    ys_put_hci_address(writer, &connection->peer);
    ys_put_u16(writer, connection->interval);
    ys_put_u16(writer, connection->latency);
    ys_put_u16(writer, connection->timeout);
    ys_put_u8(writer, connection->clock_accuracy);
}

static void get_who(struct ys_reader *reader, struct ys_hci_connection *connection)
{
    connection->status = ys_get_u8(reader);
    connection->handle = ys_get_u16(reader);
    connection->role = ys_get_u8(reader);
    ys_get_hci_address(reader, &connection->peer);
}

static void get_how(struct ys_reader *reader, struct ys_hci_connection *connection)
{
    connection->interval = ys_get_u16(reader);
    connection->latency = ys_get_u16(reader);
    connection->timeout = ys_get_u16(reader);
    connection->clock_accuracy = ys_get_u8(reader);
}

void ys_get_hci_connection(struct ys_reader *reader, struct ys_hci_connection *connection)
{
    get_who(reader, connection);
    connection->own_is_made = false;
    connection->peer_is_made = false;
    get_how(reader, connection);
}

void ys_get_hci_enhanced_connection(struct ys_reader *reader, struct ys_hci_connection *connection)
{
    get_who(reader, connection);
    connection->peer.type &= 1; /* an identity is an address like others */
    connection->own_made.type = YS_ADDRESS_RANDOM;
    connection->peer_made.type = YS_ADDRESS_RANDOM;
    ys_get_address(reader, &connection->own_made);
    ys_get_address(reader, &connection->peer_made);
    connection->own_is_made = connection->own_made.bytes[5] != 0;
    connection->peer_is_made = connection->peer_made.bytes[5] != 0;
    get_how(reader, connection);
}

void ys_put_hci_report(struct ys_writer *writer, const struct ys_hci_report *report)
{
    ys_put_u8(writer, report->type);
    ys_put_hci_address(writer, &report->address);
    ys_put_u8(writer, report->length);
    ys_put_bytes(writer, report->data, report->length);
    ys_put_i8(writer, report->rssi_dbm);
}

void ys_get_hci_report(struct ys_reader *reader, struct ys_hci_report *report)
{
    report->type = ys_get_u8(reader);
    ys_get_hci_address(reader, &report->address);
    report->length = ys_get_u8(reader);
    report->data = ys_get_bytes(reader, report->length);
    report->rssi_dbm = ys_get_i8(reader);
}

void ys_put_hci_key_name(struct ys_writer *writer, const struct ys_hci_key_name *name)
{
    ys_put_u16(writer, name->handle);
    ys_put_bytes(writer, name->random, sizeof name->random);
    ys_put_u16(writer, name->diversifier);
}

void ys_get_hci_key_name(struct ys_reader *reader, struct ys_hci_key_name *name)
{
    name->handle = ys_get_u16(reader);
    ys_get_copy(reader, name->random, sizeof name->random);
    name->diversifier = ys_get_u16(reader);
}

void ys_put_hci_resolving(struct ys_writer *writer, const struct ys_hci_resolving *entry)
{
    ys_put_hci_address(writer, &entry->identity);
    ys_put_bytes(writer, entry->peer_key, sizeof entry->peer_key);
    ys_put_bytes(writer, entry->own_key, sizeof entry->own_key);
}

void ys_get_hci_resolving(struct ys_reader *reader, struct ys_hci_resolving *entry)
{
    ys_get_hci_address(reader, &entry->identity);
    ys_get_copy(reader, entry->peer_key, sizeof entry->peer_key);
    ys_get_copy(reader, entry->own_key, sizeof entry->own_key);
}

void ys_put_hci_data(struct ys_writer *writer, const struct ys_hci_data *data)
{
    ys_put_u16(writer, (uint16_t)((data->handle & 0x0fff) | data->boundary << 12));
    ys_put_u16(writer, data->length);
}

/* Vol 4 Part E 5.4. */
void ys_get_hci_data(struct ys_reader *reader, struct ys_hci_data *data)
{
    uint16_t word = ys_get_u16(reader);
    data->handle = word & 0x0fff;
    data->boundary = word >> 12 & 3;
    data->length = ys_get_u16(reader);
}
