/* Rules of the border between host and controller (Core 5.4 Vol 4 Part E). */
#include "capture/audit/border.h"

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

static struct audited_border_link *link_of(struct audited_border *border, uint16_t handle, bool add)
{
    struct audited_border_link *unused = NULL;
    for (size_t i = 0; i < YS_BORDER_LINKS; i++) {
        if (border->links[i].used && border->links[i].handle == handle)
            return &border->links[i];
        if (!border->links[i].used && unused == NULL)
            unused = &border->links[i];
    }
    if (add && unused != NULL)
        *unused = (struct audited_border_link){.used = true, .handle = handle};
    return add ? unused : NULL;
}

/* commands */

static void audit_command(struct ys_audit *audit, const struct ys_seen *seen, struct audited_border *border)
{
    uint16_t opcode = seen->crossed.opcode;
    if (opcode == YS_HCI_RESET) {
        memset(border->links, 0, sizeof border->links);
        border->opcode = 0;
        border->credits = 1;
        border->knows_buffers = false;
        border->room_ns = 0;
        border->from_reset = true;
    }
    if (!border->any && opcode != YS_HCI_RESET && !is_of_start(opcode))
        audit_cannot_tell(audit, YS_RULE_RESET_FIRST);
    else if (!border->any)
        (void)audit_judge(audit, YS_RULE_RESET_FIRST, opcode == YS_HCI_RESET, "it begins with another command");
    border->any = true;
    bool enables = opcode == YS_HCI_LE_SET_ADVERTISING_ENABLE || opcode == YS_HCI_LE_SET_EXTENDED_ADVERTISING_ENABLE;
    if (enables && seen->border->own != NULL)
        audit->advertisers[seen->border->own->number].any = false; /* its events begin anew when its host wishes */
    if (opcode == HOST_COMPLETED_PACKETS)
        return;
    if (!border->from_reset)
        audit_cannot_tell(audit, YS_RULE_COMMAND_CREDIT);
    else
        (void)audit_judge(audit, YS_RULE_COMMAND_CREDIT, border->credits > 0,
                          "opcode 0x%04x, before opcode 0x%04x was answered", opcode, border->opcode);
    border->credits -= border->credits > 0;
    border->opcode = opcode;
    border->asked_ns = seen->record->at_ns;
    border->overdue = false;
}

static void audit_answer(struct ys_audit *audit, const struct ys_seen *seen, struct audited_border *border)
{
    const struct ys_border_seen *crossed = &seen->crossed;
    const uint8_t *bytes = seen->record->bytes;
    bool completes = crossed->event == YS_HCI_COMMAND_COMPLETE;
    size_t at = completes ? 3 : 4;
    if (seen->record->length > at)
        border->credits = bytes[at];
    if (crossed->opcode == 0) /* only credits */
        return;
    if (border->opcode == 0 && !border->from_reset)
        audit_cannot_tell(audit, YS_RULE_COMMAND_ASKED);
    else if (audit_judge(audit, YS_RULE_COMMAND_ASKED, border->opcode == crossed->opcode,
                         "opcode 0x%04x, in place of 0x%04x", crossed->opcode, border->opcode) &&
             !border->overdue)
        (void)audit_judge(audit, YS_RULE_COMMAND_ANSWERED, seen->record->at_ns - border->asked_ns <= ANSWER_NS,
                          "opcode 0x%04x, %.1f s after the command", crossed->opcode,
                          (double)(seen->record->at_ns - border->asked_ns) / 1e9);
    border->opcode = 0;
    if (completes && crossed->opcode == YS_HCI_LE_READ_BUFFER_SIZE && crossed->status == YS_HCI_OK) {
        struct ys_reader parameters = crossed->parameters;
        border->buffer_length = ys_get_u16(&parameters);
        border->buffers = ys_get_u8(&parameters);
        border->knows_buffers = ys_reader_ok(&parameters) && border->buffer_length > 0;
    }
}

static void audit_waiting(struct ys_audit *audit, const struct ys_seen *seen, struct audited_border *border)
{
    if (border->opcode == 0 || border->overdue || seen->record->at_ns <= border->asked_ns + ANSWER_NS)
        return;
    border->overdue = true;
    /* a host that begins anew may have been without power: then nobody was there to answer */
    if (seen->crossed.type == YS_HCI_COMMAND && seen->crossed.opcode == YS_HCI_RESET)
        audit_cannot_tell(audit, YS_RULE_COMMAND_ANSWERED);
    else
        (void)audit_judge(audit, YS_RULE_COMMAND_ANSWERED, false, "opcode 0x%04x was not answered in a second",
                          border->opcode);
}

/* events */

static void audit_completed(struct ys_audit *audit, const struct ys_border_seen *crossed, struct audited_border *border)
{
    struct ys_reader reader = crossed->parameters;
    uint8_t count = ys_get_u8(&reader);
    for (uint8_t i = 0; i < count; i++) {
        uint16_t handle = ys_get_u16(&reader) & 0x0fff;
        uint16_t packets = ys_get_u16(&reader);
        struct audited_border_link *link = link_of(border, handle, false);
        if (!ys_reader_ok(&reader))
            return;
        if (link == NULL || !border->from_reset) {
            audit_cannot_tell(audit, YS_RULE_COMPLETED_FITS);
            continue;
        }
        (void)audit_judge(audit, YS_RULE_COMPLETED_FITS, packets <= link->in_flight, "%u packets, of %u that were sent",
                          packets, link->in_flight);
        link->in_flight = packets < link->in_flight ? (uint16_t)(link->in_flight - packets) : 0;
    }
}

static void audit_event(struct ys_audit *audit, const struct ys_seen *seen, struct audited_border *border)
{
    const struct ys_border_seen *crossed = &seen->crossed;
    struct ys_reader reader = crossed->parameters;
    border->any = true;
    if (crossed->event == YS_HCI_COMMAND_COMPLETE || crossed->event == YS_HCI_COMMAND_STATUS) {
        audit_answer(audit, seen, border);
    } else if (crossed->event == YS_HCI_COMPLETED_PACKETS) {
        audit_completed(audit, crossed, border);
        border->room_ns = audit->now_ns;
    } else if (crossed->event == YS_HCI_LE_META && crossed->status == YS_HCI_OK &&
               (crossed->subevent == YS_HCI_LE_CONNECTION_COMPLETE ||
                crossed->subevent == YS_HCI_LE_ENHANCED_CONNECTION_COMPLETE)) {
        (void)ys_get_u8(&reader);
        struct audited_border_link *link = link_of(border, ys_get_u16(&reader) & 0x0fff, true);
        if (link != NULL)
            link->dialogue.begun = true;
    } else if (crossed->event == YS_HCI_DISCONNECTION_COMPLETE && crossed->status == YS_HCI_OK) {
        (void)ys_get_u8(&reader);
        struct audited_border_link *link = link_of(border, ys_get_u16(&reader) & 0x0fff, false);
        if (link != NULL)
            link->used = false;
        border->room_ns = audit->now_ns; /* what it held is free */
    } else if (crossed->event == YS_HCI_ENCRYPTION_CHANGE && crossed->status == YS_HCI_OK) {
        (void)ys_get_u8(&reader);
        struct audited_border_link *link = link_of(border, ys_get_u16(&reader) & 0x0fff, false);
        if (link != NULL)
            link->encrypted = ys_get_u8(&reader) != 0;
    }
}

/* data */

static void audit_buffers(struct ys_audit *audit, const struct ys_seen *seen, struct audited_border *border,
                          struct audited_border_link *link)
{
    unsigned in_flight = 0;
    for (size_t i = 0; i < YS_BORDER_LINKS; i++)
        in_flight += border->links[i].used ? border->links[i].in_flight : 0;
    if (!border->knows_buffers) {
        audit_cannot_tell(audit, YS_RULE_DATA_CREDIT);
        return;
    }
    (void)audit_judge(audit, YS_RULE_DATA_CREDIT, in_flight < border->buffers, "%u packets, and %u buffers",
                      in_flight + 1, border->buffers);
    (void)audit_judge(audit, YS_RULE_DATA_BUFFER, seen->crossed.length <= border->buffer_length,
                      "%zu bytes, and buffers of %u", seen->crossed.length, border->buffer_length);
    if (link != NULL)
        link->in_flight++;
}

/* Its record of a value's last notification; or that of the one that is the longest ago. */
static struct audited_notified *notified_of(struct audited_border_link *link, uint16_t handle)
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
static void audit_spacing(struct ys_audit *audit, const struct ys_said *said, const struct audited_border *border,
                          struct audited_border_link *link)
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
    if (close && (before->waited || !border->from_reset))
        audit_cannot_tell(audit, YS_RULE_NOTIFICATION_SPACING);
    else
        (void)audit_judge(audit, YS_RULE_NOTIFICATION_SPACING, !close,
                          "0x%04x, %.1f ms after the last one, where %.1f ms must be between them", said->att.handle,
                          (double)after_ns / 1e6, (double)spacing_us / 1e3);
    before->waited = border->room_ns > 0 && audit->now_ns - border->room_ns < WAITED_NS;
    before->at_ns = audit->now_ns;
}

static void audit_data(struct ys_audit *audit, const struct ys_seen *seen, struct audited_border *border)
{
    const struct ys_border_seen *crossed = &seen->crossed;
    struct audited_border_link *link = link_of(border, crossed->link->handle, false);
    if (link == NULL && !border->from_reset)
        audit_cannot_tell(audit, YS_RULE_DATA_KNOWN);
    else
        (void)audit_judge(audit, YS_RULE_DATA_KNOWN, link != NULL, "data of connection 0x%03x, which there is not",
                          crossed->link->handle);
    if (link == NULL)
        link = link_of(border, crossed->link->handle, true);
    if (!seen->record->to_host)
        audit_buffers(audit, seen, border, link);
    if (link != NULL && !seen->record->to_host)
        audit_spacing(audit, &crossed->said, border, link);
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

void audit_border_lost(struct ys_audit *audit)
{
    for (size_t i = 0; i < AUDITED_BORDERS; i++) {
        struct audited_border *border = &audit->borders[i];
        border->opcode = 0;
        border->overdue = false;
        border->knows_buffers = false;
        border->from_reset = false;
        for (size_t k = 0; k < YS_BORDER_LINKS; k++) {
            memset(&border->links[k].dialogue, 0, sizeof border->links[k].dialogue);
            border->links[k].lost = true;
        }
    }
}

void audit_border(struct ys_audit *audit, const struct ys_seen *seen, struct audited_border *border)
{
    audit_waiting(audit, seen, border);
    if (!audit_judge(audit, YS_RULE_BORDER_FORM, seen->good, "a packet of %zu bytes", seen->record->length))
        return;
    if (seen->crossed.type == YS_HCI_COMMAND)
        audit_command(audit, seen, border);
    else if (seen->crossed.type == YS_HCI_EVENT)
        audit_event(audit, seen, border);
    else
        audit_data(audit, seen, border);
}
