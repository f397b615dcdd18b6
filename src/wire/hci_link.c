/* HCI commands and events that shape a connection. */
#include "wire/hci_link.h"

void ys_put_hci_parameters(struct ys_writer *writer, const struct ys_hci_parameters *parameters, bool lengths)
{
    ys_put_u16(writer, parameters->handle);
    ys_put_u16(writer, parameters->interval_min);
    ys_put_u16(writer, parameters->interval_max);
    ys_put_u16(writer, parameters->latency);
    ys_put_u16(writer, parameters->timeout);
    if (!lengths)
        return;
    ys_put_u16(writer, parameters->event_length_min);
    ys_put_u16(writer, parameters->event_length_max);
}

void ys_get_hci_parameters(struct ys_reader *reader, struct ys_hci_parameters *parameters, bool lengths)
{
    *parameters = (struct ys_hci_parameters){.handle = ys_get_u16(reader)};
    parameters->interval_min = ys_get_u16(reader);
    parameters->interval_max = ys_get_u16(reader);
    parameters->latency = ys_get_u16(reader);
    parameters->timeout = ys_get_u16(reader);
    if (!lengths)
        return;
    parameters->event_length_min = ys_get_u16(reader);
    parameters->event_length_max = ys_get_u16(reader);
}

void ys_put_hci_update(struct ys_writer *writer, const struct ys_hci_update *update)
{
    ys_put_u8(writer, update->status);
    ys_put_u16(writer, update->handle);
    ys_put_u16(writer, update->interval);
    ys_put_u16(writer, update->latency);
    ys_put_u16(writer, update->timeout);
}

void ys_get_hci_update(struct ys_reader *reader, struct ys_hci_update *update)
{
    update->status = ys_get_u8(reader);
    update->handle = ys_get_u16(reader) & 0x0fff;
    update->interval = ys_get_u16(reader);
    update->latency = ys_get_u16(reader);
    update->timeout = ys_get_u16(reader);
}

void ys_put_hci_length(struct ys_writer *writer, const struct ys_hci_length *length)
{
    ys_put_u16(writer, length->handle);
    ys_put_u16(writer, length->send_octets);
    ys_put_u16(writer, length->send_us);
    ys_put_u16(writer, length->receive_octets);
    ys_put_u16(writer, length->receive_us);
}

void ys_get_hci_length(struct ys_reader *reader, struct ys_hci_length *length)
{
    length->handle = ys_get_u16(reader) & 0x0fff;
    length->send_octets = ys_get_u16(reader);
    length->send_us = ys_get_u16(reader);
    length->receive_octets = ys_get_u16(reader);
    length->receive_us = ys_get_u16(reader);
}

void ys_put_hci_phy_wish(struct ys_writer *writer, const struct ys_hci_phy_wish *phys)
{
    ys_put_u16(writer, phys->handle);
    ys_put_u8(writer, phys->all);
    ys_put_u8(writer, phys->send);
    ys_put_u8(writer, phys->receive);
    ys_put_u16(writer, phys->options);
}

void ys_get_hci_phy_wish(struct ys_reader *reader, struct ys_hci_phy_wish *phys)
{
    phys->handle = ys_get_u16(reader);
    phys->all = ys_get_u8(reader);
    phys->send = ys_get_u8(reader);
    phys->receive = ys_get_u8(reader);
    phys->options = ys_get_u16(reader);
}

void ys_put_hci_phy_update(struct ys_writer *writer, const struct ys_hci_phy_update *update)
{
    ys_put_u8(writer, update->status);
    ys_put_u16(writer, update->handle);
    ys_put_u8(writer, update->send);
    ys_put_u8(writer, update->receive);
}

void ys_get_hci_phy_update(struct ys_reader *reader, struct ys_hci_phy_update *update)
{
    update->status = ys_get_u8(reader);
    update->handle = ys_get_u16(reader) & 0x0fff;
    update->send = ys_get_u8(reader);
    update->receive = ys_get_u8(reader);
}
