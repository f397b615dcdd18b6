/* Rules of HCI (Core 5.4 Vol 4 Part E). */
#include "capture/audit/hci.h"

#include <string.h>

#include "capture/audit/attributes.h"
#include "capture/audit/frames.h"
#include "capture/audit/verdicts.h"
#include "wire/hci_extended.h"

#define ANSWER_NS              NS_PER_S
#define SPACING_SLACK_NS       UINT64_C(1000000)  /* hosts count milliseconds */
#define WAITED_NS              UINT64_C(20000000) /* what is sent that soon after there was room has waited for it */
#define HOST_COMPLETED_PACKETS 0x0c35             /* is not answered, and needs no credit */

/* Commands by which a host that has just started is known. */
static bool is_of_start(uint16_t opcode)
{
    return opcode == YS_HCI_SET_EVENT_MASK || opcode == YS_HCI_READ_FEATURES || opcode == YS_HCI_READ_ADDRESS ||
           opcode == YS_HCI_LE_READ_BUFFER_SIZE || opcode == YS_HCI_LE_READ_FEATURES || opcode == 0x1001;
}

static struct audited_hci_link *link_of(struct audited_hci *interface, uint16_t handle, bool add)
{
    struct audited_hci_link *unused = NULL;
    for (size_t i = 0; i < YS_HCI_LINKS; i++) {
        if (interface->links[i].used && interface->links[i].handle == handle)
            return &interface->links[i];
        if (!interface->links[i].used && unused == NULL)
            unused = &interface->links[i];
    }
    if (add && unused != NULL)
        *unused = (struct audited_hci_link){.used = true, .handle = handle};
    return add ? unused : NULL;
}

/* commands */

static void audit_command(struct ys_audit *audit, const struct ys_seen *seen, struct audited_hci *interface)
{
    uint16_t opcode = seen->crossed.opcode;
    if (opcode == YS_HCI_RESET) {
        memset(interface->links, 0, sizeof interface->links);
        interface->opcode = 0;
        interface->credits = 1;
        interface->knows_buffers = false;
        interface->room_ns = 0;
        interface->from_reset = true;
    }
    if (!interface->any && opcode != YS_HCI_RESET && !is_of_start(opcode))
        audit_cannot_tell(audit, YS_RULE_RESET_FIRST);
    else if (!interface->any)
        (void)audit_judge(audit, YS_RULE_RESET_FIRST, opcode == YS_HCI_RESET, "it begins with another command");
    interface->any = true;
    bool enables = opcode == YS_HCI_LE_SET_ADVERTISING_ENABLE || opcode == YS_HCI_LE_SET_EXTENDED_ADVERTISING_ENABLE;
    if (enables && seen->interface->own != NULL)
        audit->advertisers[seen->interface->own->number].any = false; /* its events begin anew when its host wishes */
    if (opcode == HOST_COMPLETED_PACKETS)
        return;
    if (!interface->from_reset)
        audit_cannot_tell(audit, YS_RULE_COMMAND_CREDIT);
    else
        (void)audit_judge(audit, YS_RULE_COMMAND_CREDIT, interface->credits > 0,
                          "opcode 0x%04x, before opcode 0x%04x was answered", opcode, interface->opcode);
    interface->credits -= interface->credits > 0;
    interface->opcode = opcode;
    interface->asked_ns = seen->record->at_ns;
    interface->overdue = false;
}

static void audit_answer(struct ys_audit *audit, const struct ys_seen *seen, struct audited_hci *interface)
{
    const struct ys_hci_seen *crossed = &seen->crossed;
    const uint8_t *bytes = seen->record->bytes;
    bool completes = crossed->event == YS_HCI_COMMAND_COMPLETE;
    size_t at = completes ? 3 : 4;
    if (seen->record->length > at)
        interface->credits = bytes[at];
    if (crossed->opcode == 0) /* only credits */
        return;
    if (interface->opcode == 0 && !interface->from_reset)
        audit_cannot_tell(audit, YS_RULE_COMMAND_ASKED);
    else if (audit_judge(audit, YS_RULE_COMMAND_ASKED, interface->opcode == crossed->opcode,
                         "opcode 0x%04x, in place of 0x%04x", crossed->opcode, interface->opcode) &&
             !interface->overdue)
        (void)audit_judge(audit, YS_RULE_COMMAND_ANSWERED, seen->record->at_ns - interface->asked_ns <= ANSWER_NS,
                          "opcode 0x%04x, %.1f s after the command", crossed->opcode,
                          (double)(seen->record->at_ns - interface->asked_ns) / 1e9);
    interface->opcode = 0;
    if (completes && crossed->opcode == YS_HCI_LE_READ_BUFFER_SIZE && crossed->status == YS_HCI_OK) {
        struct ys_reader parameters = crossed->parameters;
        interface->buffer_length = ys_get_u16(&parameters);
        interface->buffers = ys_get_u8(&parameters);
        interface->knows_buffers = ys_reader_ok(&parameters) && interface->buffer_length > 0;
    }
}

static void audit_waiting(struct ys_audit *audit, const struct ys_seen *seen, struct audited_hci *interface)
{
    if (interface->opcode == 0 || interface->overdue || seen->record->at_ns <= interface->asked_ns + ANSWER_NS)
        return;
    interface->overdue = true;
    /* a host that begins anew may have been without power: then nobody was there to answer */
    if (seen->crossed.type == YS_HCI_COMMAND && seen->crossed.opcode == YS_HCI_RESET)
        audit_cannot_tell(audit, YS_RULE_COMMAND_ANSWERED);
    else
        (void)audit_judge(audit, YS_RULE_COMMAND_ANSWERED, false, "opcode 0x%04x was not answered in a second",
                          interface->opcode);
}

/* events */

static void audit_completed(struct ys_audit *audit, const struct ys_hci_seen *crossed, struct audited_hci *interface)
{
    struct ys_reader reader = crossed->parameters;
    uint8_t count = ys_get_u8(&reader);
    for (uint8_t i = 0; i < count; i++) {
        uint16_t handle = ys_get_u16(&reader) & 0x0fff;
        uint16_t packets = ys_get_u16(&reader);
        struct audited_hci_link *link = link_of(interface, handle, false);
        if (!ys_reader_ok(&reader))
            return;
        if (link == NULL || !interface->from_reset) {
            audit_cannot_tell(audit, YS_RULE_COMPLETED_FITS);
            continue;
        }
        (void)audit_judge(audit, YS_RULE_COMPLETED_FITS, packets <= link->in_flight, "%u packets, of %u that were sent",
                          packets, link->in_flight);
        link->in_flight = packets < link->in_flight ? (uint16_t)(link->in_flight - packets) : 0;
    }
}

static void audit_event(struct ys_audit *audit, const struct ys_seen *seen, struct audited_hci *interface)
{
    const struct ys_hci_seen *crossed = &seen->crossed;
    struct ys_reader reader = crossed->parameters;
    interface->any = true;
    if (crossed->event == YS_HCI_COMMAND_COMPLETE || crossed->event == YS_HCI_COMMAND_STATUS) {
        audit_answer(audit, seen, interface);
    } else if (crossed->event == YS_HCI_COMPLETED_PACKETS) {
        audit_completed(audit, crossed, interface);
        interface->room_ns = audit->now_ns;
    } else if (crossed->event == YS_HCI_LE_META && crossed->status == YS_HCI_OK &&
               (crossed->subevent == YS_HCI_LE_CONNECTION_COMPLETE ||
                crossed->subevent == YS_HCI_LE_ENHANCED_CONNECTION_COMPLETE)) {
        (void)ys_get_u8(&reader);
        struct audited_hci_link *link = link_of(interface, ys_get_u16(&reader) & 0x0fff, true);
        if (link != NULL)
            link->dialogue.begun = true;
    } else if (crossed->event == YS_HCI_DISCONNECTION_COMPLETE && crossed->status == YS_HCI_OK) {
        (void)ys_get_u8(&reader);
        struct audited_hci_link *link = link_of(interface, ys_get_u16(&reader) & 0x0fff, false);
        if (link != NULL)
            link->used = false;
        interface->room_ns = audit->now_ns; /* what it held is free */
    } else if (crossed->event == YS_HCI_ENCRYPTION_CHANGE && crossed->status == YS_HCI_OK) {
        (void)ys_get_u8(&reader);
        struct audited_hci_link *link = link_of(interface, ys_get_u16(&reader) & 0x0fff, false);
        if (link != NULL)
            link->encrypted = ys_get_u8(&reader) != 0;
    }
}

/* data */

static void audit_buffers(struct ys_audit *audit, const struct ys_seen *seen, struct audited_hci *interface,
                          struct audited_hci_link *link)
{
    unsigned in_flight = 0;
    for (size_t i = 0; i < YS_HCI_LINKS; i++)
        in_flight += interface->links[i].used ? interface->links[i].in_flight : 0;
    if (!interface->knows_buffers) {
        audit_cannot_tell(audit, YS_RULE_DATA_CREDIT);
        return;
    }
    (void)audit_judge(audit, YS_RULE_DATA_CREDIT, in_flight < interface->buffers, "%u packets, and %u buffers",
                      in_flight + 1, interface->buffers);
    (void)audit_judge(audit, YS_RULE_DATA_BUFFER, seen->crossed.length <= interface->buffer_length,
                      "%zu bytes, and buffers of %u", seen->crossed.length, interface->buffer_length);
    if (link != NULL)
        link->in_flight++;
}

/* Its record of a value's last notification; or that of the one that is the longest ago. */
static struct audited_notified *notified_of(struct audited_hci_link *link, uint16_t handle)
{
    struct audited_notified *oldest = &link->notified[0];
    for (size_t i = 0; i < AUDITED_NOTIFIED; i++) {
        if (link->notified[i].handle == handle)
            return &link->notified[i];
        if (link->notified[i].at_ns < oldest->at_ns)
            oldest = &link->notified[i];
    }
    *oldest = (struct audited_notified){.handle = handle};
    return oldest;
}

/* As the host hands it on: on the air whatever had to wait may come together. */
static void audit_spacing(struct ys_audit *audit, const struct ys_said *said, const struct audited_hci *interface,
                          struct audited_hci_link *link)
{
    const struct ys_glossary *glossary = &audit->glossary;
    if (said->upper != YS_UPPER_ATT || said->att.opcode != YS_ATT_NOTIFICATION || glossary->spacing_us == NULL)
        return;
    uint64_t spacing_us = glossary->spacing_us(glossary->context, said->server, said->att.handle);
    if (spacing_us == 0)
        return;
    struct audited_notified *before = notified_of(link, said->att.handle);
    uint64_t after_ns = audit->now_ns - before->at_ns;
    bool close = before->at_ns > 0 && after_ns + SPACING_SLACK_NS < spacing_us * 1000;
    if (close && (before->waited || !interface->from_reset))
        audit_cannot_tell(audit, YS_RULE_NOTIFICATION_SPACING);
    else
        (void)audit_judge(audit, YS_RULE_NOTIFICATION_SPACING, !close,
                          "0x%04x, %.1f ms after the last one, where %.1f ms must be between them", said->att.handle,
                          (double)after_ns / 1e6, (double)spacing_us / 1e3);
    before->waited = interface->room_ns > 0 && audit->now_ns - interface->room_ns < WAITED_NS;
    before->at_ns = audit->now_ns;
}

static void audit_data(struct ys_audit *audit, const struct ys_seen *seen, struct audited_hci *interface)
{
    const struct ys_hci_seen *crossed = &seen->crossed;
    struct audited_hci_link *link = link_of(interface, crossed->link->handle, false);
    if (link == NULL && !interface->from_reset)
        audit_cannot_tell(audit, YS_RULE_DATA_KNOWN);
    else
        (void)audit_judge(audit, YS_RULE_DATA_KNOWN, link != NULL, "data of connection 0x%03x, which there is not",
                          crossed->link->handle);
    if (link == NULL)
        link = link_of(interface, crossed->link->handle, true);
    if (!seen->record->to_host)
        audit_buffers(audit, seen, interface, link);
    if (link != NULL && !seen->record->to_host)
        audit_spacing(audit, &crossed->said, interface, link);
    if (link == NULL || audit->on_air)
        return;
    int own = crossed->link->own_side;
    const struct audit_place place = {.dialogue = &link->dialogue,
                                      .followed = &crossed->link->dialogue,
                                      .side = seen->record->to_host ? !own : own,
                                      .encrypted = link->encrypted,
                                      .knows_encryption = link->dialogue.begun,
                                      .hole = link->lost};
    audit_frame(audit, &crossed->said, &place, crossed->boundary != YS_HCI_CONTINUING);
    audit_attributes_wait(audit, &place);
}

void audit_hci_lost(struct ys_audit *audit)
{
    for (size_t i = 0; i < AUDITED_INTERFACES; i++) {
        struct audited_hci *interface = &audit->interfaces[i];
        interface->opcode = 0;
        interface->overdue = false;
        interface->knows_buffers = false;
        interface->from_reset = false;
        for (size_t k = 0; k < YS_HCI_LINKS; k++) {
            memset(&interface->links[k].dialogue, 0, sizeof interface->links[k].dialogue);
            interface->links[k].lost = true;
        }
    }
}

void audit_hci(struct ys_audit *audit, const struct ys_seen *seen, struct audited_hci *interface)
{
    audit_waiting(audit, seen, interface);
    if (!audit_judge(audit, YS_RULE_HCI_FORM, seen->good, "a packet of %zu bytes", seen->record->length))
        return;
    if (seen->crossed.type == YS_HCI_COMMAND)
        audit_command(audit, seen, interface);
    else if (seen->crossed.type == YS_HCI_EVENT)
        audit_event(audit, seen, interface);
    else
        audit_data(audit, seen, interface);
}
