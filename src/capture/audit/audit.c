/* The audit: passes each record to the watchers, and counts. */
#include "capture/audit/audit.h"

#include <stdio.h>
#include <stdlib.h>

#include "capture/audit/advertising.h"
#include "capture/audit/crossed.h"
#include "capture/audit/hci.h"
#include "capture/audit/link.h"
#include "capture/audit/state.h"
#include "capture/audit/verdicts.h"

struct ys_audit *ys_audit_new(const struct ys_glossary *glossary)
{
    struct ys_audit *audit = calloc(1, sizeof *audit);
    if (audit == NULL)
        return NULL;
    audit->glossary = *glossary;
    audit->advertisers = calloc(YS_PARTIES_MOST, sizeof *audit->advertisers);
    audit->links = calloc(AUDITED_LINKS, sizeof *audit->links);
    audit->interfaces = calloc(AUDITED_INTERFACES, sizeof *audit->interfaces);
    audit->breaches = calloc((size_t)YS_RULES * YS_BREACHES_OF_EACH, sizeof *audit->breaches);
    audit->holes = calloc(YS_HOLES_MOST, sizeof *audit->holes);
    if (audit->holes != NULL && audit->advertisers != NULL && audit->links != NULL && audit->interfaces != NULL &&
        audit->breaches != NULL)
        return audit;
    ys_audit_free(audit);
    return NULL;
}

void ys_audit_free(struct ys_audit *audit)
{
    if (audit == NULL)
        return;
    free(audit->advertisers);
    free(audit->links);
    free(audit->interfaces);
    free(audit->breaches);
    free(audit->holes);
    free(audit);
}

bool ys_audit_except(struct ys_audit *audit, const char *name)
{
    if (audit->excepted_count == YS_EXCEPTED_MOST)
        return false;
    (void)snprintf(audit->excepted[audit->excepted_count], sizeof audit->excepted[0], "%s", name);
    audit->excepted_count++;
    return true;
}

const struct ys_tally *ys_audit_tally(const struct ys_audit *audit, enum ys_rule_id rule)
{
    return &audit->tallies[rule];
}

const struct ys_breach *ys_audit_breaches(const struct ys_audit *audit, size_t *count)
{
    *count = audit->breach_count;
    return audit->breaches;
}

uint64_t ys_audit_hole_count(const struct ys_audit *audit)
{
    return audit->hole_count;
}

const struct ys_hole *ys_audit_holes(const struct ys_audit *audit)
{
    return audit->holes;
}

uint64_t ys_audit_damaged(const struct ys_audit *audit)
{
    return audit->damaged;
}

unsigned ys_audit_lossy_logs(const struct ys_audit *audit)
{
    return audit->lossy_logs;
}

uint64_t ys_audit_unreadable(const struct ys_audit *audit)
{
    return audit->unreadable;
}

/* holes */

static void note_hole(struct ys_audit *audit, const struct ys_seen *seen, const struct audited_link *link)
{
    if (audit->hole_count++ >= YS_HOLES_MOST)
        return;
    struct ys_hole *hole = &audit->holes[audit->hole_count - 1];
    *hole = (struct ys_hole){.from_ns = seen->packet.hole_from_ns,
                             .to_ns = seen->record->air.start_ns,
                             .record = seen->record->number,
                             .others = audit->records - link->heard_record - 1,
                             .open = seen->packet.open_record,
                             .mtu = !seen->link->dialogue.mtu_is_agreed};
    for (int side = 0; side < 2; side++) {
        const struct ys_party *party = seen->link->parties[side];
        (void)snprintf(hole->who[side], sizeof hole->who[side], "%s", party != NULL ? party->name : "");
    }
}

/* records */

static struct audited_link *link_of(struct ys_audit *audit, const struct ys_air_link *link)
{
    struct audited_link *audited = &audit->links[link->number % AUDITED_LINKS];
    if (audited->number == link->number)
        return audited;
    *audited = (struct audited_link){.number = link->number};
    audited->procedures[0].opcode = 0xff;
    audited->procedures[1].opcode = 0xff;
    audited->dialogue.begun = link->begun;
    return audited;
}

static struct audited_hci *interface_of(struct ys_audit *audit, uint16_t device)
{
    size_t index = device < AUDITED_INTERFACES ? device : 0;
    struct audited_hci *interface = &audit->interfaces[index];
    interface->device = device;
    if (index > audit->last_interface)
        audit->last_interface = index;
    return interface;
}

/* What a recorder says of a packet's CRC. */
static void audit_crc(struct ys_audit *audit, const struct ys_seen *seen)
{
    if (seen->record->kind != YS_RECORD_AIR || (seen->record->known & YS_AIR_CRC) == 0 || !seen->record->air.crc_good)
        return;
    if (!seen->crc_called_good)
        audit->tallies[YS_RULE_CRC_FLAG].kept++;
    else
        (void)audit_judge(audit, YS_RULE_CRC_FLAG, false, "the CRC is %06x, which is not that of its %u bytes",
                          seen->record->air.crc, seen->record->air.length);
}

void ys_audit_take(void *context, const struct ys_seen *seen)
{
    struct ys_audit *audit = context;
    audit->seen = seen;
    audit->now_ns = seen->record->at_ns;
    audit->rounded_ns = seen->step_ns > 1 ? seen->step_ns : 0;
    if (seen->record->lost)
        audit_hci_lost(audit);
    audit->records += seen->record->kind == YS_RECORD_AIR;
    audit->on_air = audit->on_air || seen->record->kind == YS_RECORD_AIR;
    audit_crc(audit, seen);
    switch (seen->kind) {
    case YS_SEEN_ADVERTISING:
        audit_advertising(audit, seen);
        if (seen->good) {
            audit_crossed_request(audit, seen);
            audit_crossed_advertisement(audit, seen);
        }
        if (seen->link != NULL)
            link_of(audit, seen->link)->heard_record = audit->records;
        break;
    case YS_SEEN_EXTENDED:
        audit_extended(audit, seen);
        break;
    case YS_SEEN_LINK: {
        struct audited_link *link = link_of(audit, seen->link);
        audit->unreadable += seen->packet.readable == YS_READ_NOT;
        if (seen->packet.hole)
            note_hole(audit, seen, link);
        link->heard_record = audit->records;
        audit_link(audit, seen, link);
        if (seen->good && !seen->packet.repeated && seen->said != NULL)
            audit_crossed_frame(audit, seen);
        break;
    }
    case YS_SEEN_HCI:
        audit_hci(audit, seen, interface_of(audit, seen->record->device));
        if (seen->good)
            audit_crossed_hci(audit, seen, interface_of(audit, seen->record->device));
        break;
    case YS_SEEN_NOTHING:
    default:
        audit->damaged++;
        audit->damaged_ns = audit->now_ns;
        break;
    }
}

void ys_audit_end(struct ys_audit *audit)
{
    audit_forgive_logs(audit); /* what still waits may be answered after the capture's end */
}
