/* HCI commands and events of extended advertising. */
#include "wire/hci_extended.h"

#define PHYS 3

void ys_put_hci_set(struct ys_writer *writer, const struct ys_hci_set *set)
{
    ys_put_u8(writer, set->handle);
    ys_put_u16(writer, set->properties);
    ys_put_u24(writer, set->interval_min);
    ys_put_u24(writer, set->interval_max);
    ys_put_u8(writer, set->channels);
    ys_put_u8(writer, set->own_address_type);
    ys_put_hci_address(writer, &set->peer);
    ys_put_u8(writer, set->filter);
    ys_put_i8(writer, set->power_dbm);
    ys_put_u8(writer, set->primary_phy);
    ys_put_u8(writer, set->max_skip);
    ys_put_u8(writer, set->secondary_phy);
    ys_put_u8(writer, set->set_id);
    ys_put_u8(writer, set->tell_requests);
}

void ys_get_hci_set(struct ys_reader *reader, struct ys_hci_set *set)
{
    set->handle = ys_get_u8(reader);
    set->properties = ys_get_u16(reader);
    set->interval_min = ys_get_u24(reader);
    set->interval_max = ys_get_u24(reader);
    set->channels = ys_get_u8(reader);
    set->own_address_type = ys_get_u8(reader);
    ys_get_hci_address(reader, &set->peer);
    set->filter = ys_get_u8(reader);
    set->power_dbm = ys_get_i8(reader);
    set->primary_phy = ys_get_u8(reader);
    set->max_skip = ys_get_u8(reader);
    set->secondary_phy = ys_get_u8(reader);
    set->set_id = ys_get_u8(reader);
    set->tell_requests = ys_get_u8(reader);
}

void ys_put_hci_fragment(struct ys_writer *writer, const struct ys_hci_fragment *fragment)
{
    ys_put_u8(writer, fragment->handle);
    ys_put_u8(writer, fragment->operation);
    ys_put_u8(writer, 1); /* the controller may cut it as it likes: never more packets than needed */
    ys_put_u8(writer, fragment->length);
    ys_put_bytes(writer, fragment->data, fragment->length);
}

void ys_get_hci_fragment(struct ys_reader *reader, struct ys_hci_fragment *fragment)
{
    fragment->handle = ys_get_u8(reader);
    fragment->operation = ys_get_u8(reader);
    (void)ys_get_u8(reader);
    fragment->length = ys_get_u8(reader);
    fragment->data = ys_get_bytes(reader, fragment->length);
}

void ys_put_hci_set_on(struct ys_writer *writer, const struct ys_hci_set_on *on)
{
    ys_put_u8(writer, on->handle);
    ys_put_u16(writer, on->duration);
    ys_put_u8(writer, on->events);
}

void ys_get_hci_set_on(struct ys_reader *reader, struct ys_hci_set_on *on)
{
    on->handle = ys_get_u8(reader);
    on->duration = ys_get_u16(reader);
    on->events = ys_get_u8(reader);
}

void ys_put_hci_extended_scan(struct ys_writer *writer, const struct ys_hci_extended_scan *scan)
{
    ys_put_u8(writer, scan->own_address_type);
    ys_put_u8(writer, scan->filter);
    ys_put_u8(writer, scan->phys);
    for (int i = 0; i < PHYS; i++) {
        if ((scan->phys >> i & 1) == 0)
            continue;
        ys_put_u8(writer, scan->by_phy[i].active);
        ys_put_u16(writer, scan->by_phy[i].interval);
        ys_put_u16(writer, scan->by_phy[i].window);
    }
}

void ys_get_hci_extended_scan(struct ys_reader *reader, struct ys_hci_extended_scan *scan)
{
    *scan = (struct ys_hci_extended_scan){.own_address_type = ys_get_u8(reader)};
    scan->filter = ys_get_u8(reader);
    scan->phys = ys_get_u8(reader);
    /*@ loop assigns i, *reader, *scan; loop invariant 0 <= i <= PHYS && on{Pre, Here}(reader); */
    for (int i = 0; i < PHYS; i++) {
        if ((scan->phys >> i & 1) == 0)
            continue;
        scan->by_phy[i].active = ys_get_u8(reader);
        scan->by_phy[i].interval = ys_get_u16(reader);
        scan->by_phy[i].window = ys_get_u16(reader);
    }
}

void ys_put_hci_extended_connect(struct ys_writer *writer, const struct ys_hci_extended_connect *connect)
{
    const struct ys_hci_connect *common = &connect->common;
    ys_put_u8(writer, common->filter);
    ys_put_u8(writer, common->own_address_type);
    ys_put_hci_address(writer, &common->peer);
    ys_put_u8(writer, connect->phys);
    for (int i = 0; i < PHYS; i++) {
        if ((connect->phys >> i & 1) == 0)
            continue;
        ys_put_u16(writer, connect->by_phy[i].interval);
        ys_put_u16(writer, connect->by_phy[i].window);
        ys_put_u16(writer, common->interval_min);
        ys_put_u16(writer, common->interval_max);
        ys_put_u16(writer, common->latency);
        ys_put_u16(writer, common->timeout);
        ys_put_u16(writer, common->event_length_min);
        ys_put_u16(writer, common->event_length_max);
    }
}

void ys_get_hci_extended_connect(struct ys_reader *reader, struct ys_hci_extended_connect *connect)
{
    struct ys_hci_connect *common = &connect->common;
    *connect = (struct ys_hci_extended_connect){.common = {.filter = ys_get_u8(reader)}};
    common->own_address_type = ys_get_u8(reader);
    ys_get_hci_address(reader, &common->peer);
    connect->phys = ys_get_u8(reader);
    /*@ loop assigns i, *reader, *connect; loop invariant 0 <= i <= PHYS && on{Pre, Here}(reader); */
    for (int i = 0; i < PHYS; i++) {
        if ((connect->phys >> i & 1) == 0)
            continue;
        connect->by_phy[i].interval = ys_get_u16(reader);
        connect->by_phy[i].window = ys_get_u16(reader);
        common->interval_min = ys_get_u16(reader);
        common->interval_max = ys_get_u16(reader);
        common->latency = ys_get_u16(reader);
        common->timeout = ys_get_u16(reader);
        common->event_length_min = ys_get_u16(reader);
        common->event_length_max = ys_get_u16(reader);
    }
}

void ys_put_hci_extended_report(struct ys_writer *writer, const struct ys_hci_extended_report *report)
{
    ys_put_u16(writer, report->type);
    ys_put_hci_address(writer, &report->address);
    ys_put_u8(writer, report->primary_phy);
    ys_put_u8(writer, report->secondary_phy);
    ys_put_u8(writer, report->set_id);
    ys_put_i8(writer, report->power_dbm);
    ys_put_i8(writer, report->rssi_dbm);
    ys_put_u16(writer, report->periodic_interval);
    ys_put_hci_address(writer, &report->target);
    ys_put_u8(writer, report->length);
    ys_put_bytes(writer, report->data, report->length);
}

void ys_get_hci_extended_report(struct ys_reader *reader, struct ys_hci_extended_report *report)
{
    report->type = ys_get_u16(reader);
    ys_get_hci_address(reader, &report->address);
    report->primary_phy = ys_get_u8(reader);
    report->secondary_phy = ys_get_u8(reader);
    report->set_id = ys_get_u8(reader);
    report->power_dbm = ys_get_i8(reader);
    report->rssi_dbm = ys_get_i8(reader);
    report->periodic_interval = ys_get_u16(reader);
    ys_get_hci_address(reader, &report->target);
    report->length = ys_get_u8(reader);
    report->data = ys_get_bytes(reader, report->length);
}

void ys_put_hci_terminated(struct ys_writer *writer, const struct ys_hci_terminated *terminated)
{
    ys_put_u8(writer, terminated->status);
    ys_put_u8(writer, terminated->handle);
    ys_put_u16(writer, terminated->connection);
    ys_put_u8(writer, terminated->events);
}

void ys_get_hci_terminated(struct ys_reader *reader, struct ys_hci_terminated *terminated)
{
    terminated->status = ys_get_u8(reader);
    terminated->handle = ys_get_u8(reader);
    terminated->connection = ys_get_u16(reader);
    terminated->events = ys_get_u8(reader);
}
