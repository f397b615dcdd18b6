/* Compares HCI with the air: in captures that have both, a controller may do something else than its host asked, or
 * report something else than it did. */
#include "capture/audit/crossed.h"

#include <string.h>

#include "capture/audit/verdicts.h"
#include "capture/follow/hash.h"
#include "wire/hci_extended.h"

#define UNIT_625_NS   UINT64_C(625000)
#define UNIT_NS       UINT64_C(1250000)
#define DELAY_MOST_NS UINT64_C(10000000) /* random, before each event (Vol 6 Part B 4.4.2.2.1) */
#define STOPPING_NS   UINT64_C(20000000) /* an event that was begun is ended */
#define CLOCKS_NS     UINT64_C(1000000)
#define SLOW_MOST     3                     /* events in a row; something else may have been due once */
#define LATE_NS       UINT64_C(10000000000) /* of a request that was connected by */

static struct audited_hci *interface_with_address(struct ys_audit *audit, const struct ys_party *party)
{
    for (size_t i = 1; i <= audit->last_interface && party != NULL; i++) {
        struct audited_hci *interface = &audit->interfaces[i];
        if (interface->own == party && interface->from_reset)
            return interface;
    }
    return NULL;
}

/* connections */

void audit_crossed_request(struct ys_audit *audit, const struct ys_seen *seen)
{
    const struct ys_link_connect *connect = &seen->legacy.connect;
    if (seen->legacy.type != YS_LINK_CONNECT_IND)
        return;
    struct requested *requested = &audit->requested[audit->next_requested];
    audit->next_requested = (audit->next_requested + 1) % REQUESTED_MOST;
    *requested = (struct requested){.parties = {seen->from, seen->to},
                                    .at_ns = seen->record->at_ns,
                                    .record = seen->record->number,
                                    .interval = connect->interval,
                                    .latency = connect->latency,
                                    .timeout = connect->timeout};
}

/* Of a connection between them, the latest request that was heard. */
static const struct requested *requested_by(const struct ys_audit *audit, const struct ys_party *own,
                                            const struct ys_party *peer, bool own_is_central)
{
    for (size_t i = 1; i <= REQUESTED_MOST; i++) {
        const struct requested *one = &audit->requested[(audit->next_requested + REQUESTED_MOST - i) % REQUESTED_MOST];
        if (one->parties[!own_is_central] == own && one->parties[own_is_central] == peer && own != NULL &&
            audit->now_ns <= one->at_ns + LATE_NS)
            return one;
    }
    return NULL;
}

static void audit_connected(struct ys_audit *audit, const struct ys_seen *seen)
{
    const struct ys_hci_seen *crossed = &seen->crossed;
    struct ys_reader parameters = crossed->parameters;
    struct ys_hci_connection connection = {.status = YS_HCI_UNSPECIFIED};
    if (crossed->subevent == YS_HCI_LE_CONNECTION_COMPLETE)
        ys_get_hci_connection(&parameters, &connection);
    else
        ys_get_hci_enhanced_connection(&parameters, &connection);
    if (connection.status != YS_HCI_OK || !ys_reader_ok(&parameters))
        return;
    const struct ys_hci_interface_link *link = NULL;
    for (size_t i = 0; i < YS_HCI_LINKS; i++) {
        if (seen->interface->links[i].used && seen->interface->links[i].handle == connection.handle)
            link = &seen->interface->links[i];
    }
    const struct requested *requested =
        link != NULL ? requested_by(audit, seen->interface->own, link->peer, connection.role == 0) : NULL;
    if (requested == NULL)
        audit_cannot_tell(audit, YS_RULE_CONNECTED_AS_TOLD);
    else
        (void)audit_judge(audit, YS_RULE_CONNECTED_AS_TOLD,
                          connection.interval == requested->interval && connection.latency == requested->latency &&
                              connection.timeout == requested->timeout,
                          "interval %g ms, latency %u, timeout %u ms; number %llu has %g ms, %u, %u ms",
                          connection.interval * 1.25, connection.latency, connection.timeout * 10,
                          (unsigned long long)requested->record, requested->interval * 1.25, requested->latency,
                          requested->timeout * 10);
}

/* advertising */

static void take_command(const struct ys_seen *seen, struct audited_hci *interface)
{
    struct ys_reader parameters = seen->crossed.parameters;
    switch (seen->crossed.opcode) {
    case YS_HCI_RESET:
        interface->own = NULL;
        interface->told = (struct audited_told){.interval_max = 0};
        break;
    case YS_HCI_LE_SET_ADVERTISING_PARAMETERS:
        (void)ys_get_u16(&parameters); /* the least */
        interface->told.interval_max = ys_get_u16(&parameters);
        interface->told.slow = 0;
        break;
    case YS_HCI_LE_SET_ADVERTISING_ENABLE:
        interface->told.advertises = ys_get_u8(&parameters) != 0;
        interface->told.since_ns = seen->record->at_ns;
        interface->told.event_ns = 0;
        break;
    case YS_HCI_LE_SET_EXTENDED_ADVERTISING_ENABLE:
    case YS_HCI_LE_SET_SCAN_ENABLE:
    case YS_HCI_LE_SET_EXTENDED_SCAN_ENABLE:
    case YS_HCI_LE_CREATE_CONNECTION:
    case YS_HCI_LE_EXTENDED_CREATE_CONNECTION:
        interface->told.does_more = true; /* which may take an event's time, or be another set */
        break;
    default:
        break;
    }
}

void audit_crossed_hci(struct ys_audit *audit, const struct ys_seen *seen, struct audited_hci *interface)
{
    const struct ys_hci_seen *crossed = &seen->crossed;
    if (crossed->type == YS_HCI_COMMAND)
        take_command(seen, interface);
    if (interface->own == NULL)
        interface->own = seen->interface->own;
    interface->own_changed = interface->own_changed || interface->own != seen->interface->own;
    if (crossed->type == YS_HCI_EVENT && crossed->event == YS_HCI_LE_META &&
        (crossed->subevent == YS_HCI_LE_CONNECTION_COMPLETE ||
         crossed->subevent == YS_HCI_LE_ENHANCED_CONNECTION_COMPLETE)) {
        interface->told.does_more = true;
        audit_connected(audit, seen);
    }
    if (crossed->type == YS_HCI_DATA && !seen->record->to_host && crossed->said.upper != YS_UPPER_NONE) {
        struct handed *handed = &interface->handed[interface->handed_count++ % HANDED_MOST];
        *handed = (struct handed){.peer = crossed->link != NULL ? crossed->link->peer : NULL,
                                  .hash = ys_hash(crossed->said.frame, crossed->said.length),
                                  .length = (uint16_t)crossed->said.length,
                                  .channel = crossed->said.channel};
    }
}

void audit_crossed_advertisement(struct ys_audit *audit, const struct ys_seen *seen)
{
    struct audited_hci *interface = interface_with_address(audit, seen->from);
    uint64_t start_ns = seen->record->air.start_ns;
    bool is_event = seen->legacy.type != YS_LINK_SCAN_RSP && seen->legacy.type != YS_LINK_SCAN_REQ &&
                    seen->legacy.type != YS_LINK_CONNECT_IND;
    if (interface == NULL || !is_event || interface->own_changed || interface->told.since_ns == 0)
        return;
    struct audited_told *told = &interface->told;
    (void)audit_judge(audit, YS_RULE_ADVERTISED_AS_TOLD,
                      told->advertises || start_ns <= told->since_ns + STOPPING_NS + audit->rounded_ns,
                      "%.1f ms after it was told to stop", (double)(start_ns - told->since_ns) / 1e6);
    uint64_t after_ns = start_ns - told->event_ns;
    bool same_event = told->event_ns > 0 && after_ns <= DELAY_MOST_NS;
    if (same_event || seen->legacy.type == YS_LINK_ADV_DIRECT_IND)
        return;
    uint64_t most_ns = told->interval_max * UNIT_625_NS + DELAY_MOST_NS + CLOCKS_NS + audit->rounded_ns;
    bool slow = told->event_ns > 0 && after_ns > most_ns;
    told->slow = slow ? (uint8_t)(told->slow + 1) : 0;
    bool may_be_judged = told->event_ns > 0 && told->interval_max > 0 && audit->hole_count == 0 && audit->damaged == 0;
    if (may_be_judged && !told->does_more && (!slow || told->slow >= SLOW_MOST))
        (void)audit_judge(audit, YS_RULE_ADVERTISED_AS_OFTEN, !slow,
                          "%.3f ms after the event before it, and so %d times in a row; at most %.3f ms were set",
                          (double)after_ns / 1e6, SLOW_MOST, told->interval_max * 0.625);
    told->event_ns = start_ns;
}

/* frames */

void audit_crossed_frame(struct ys_audit *audit, const struct ys_seen *seen)
{
    const struct ys_said *said = seen->said;
    struct audited_hci *interface = interface_with_address(audit, seen->from);
    if (interface == NULL || said->upper == YS_UPPER_NONE)
        return;
    uint32_t hash = ys_hash(said->frame, said->length);
    uint64_t kept = interface->handed_count < HANDED_MOST ? interface->handed_count : HANDED_MOST;
    for (uint64_t back = 1; back <= kept; back++) {
        const struct handed *handed = &interface->handed[(interface->handed_count - back) % HANDED_MOST];
        if (handed->hash == hash && handed->length == said->length && handed->channel == said->channel &&
            handed->peer == seen->to) {
            (void)audit_judge(audit, YS_RULE_FRAME_AS_HANDED, true, "%s", "");
            return;
        }
    }
    if (interface->handed_count > HANDED_MOST || interface->own_changed || !seen->link->begun || seen->link->holes > 0)
        audit_cannot_tell(audit, YS_RULE_FRAME_AS_HANDED);
    else
        (void)audit_judge(audit, YS_RULE_FRAME_AS_HANDED, false,
                          "%zu bytes to channel 0x%04x, and the host has handed on nothing like it", said->length,
                          said->channel);
}
