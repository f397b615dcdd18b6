/* Rules of the packets of a connection: events, channels, times, acknowledgement, length (Core 5.4 Vol 6 Part B 4.5).
 */
#include "capture/audit/link.h"

#include <string.h>

#include "capture/audit/attributes.h"
#include "capture/audit/control.h"
#include "capture/audit/frames.h"
#include "capture/audit/ranges.h"
#include "capture/audit/verdicts.h"
#include "capture/follow/pacing.h"

#define ALONE_MOST     6
#define EMPTY_LEAST_NS (44 * NS_PER_US) /* no packet is shorter: an empty one on 2M */
#define ANCHOR_NS      (16 * NS_PER_US) /* what an anchor may deviate besides its clock (Vol 6 Part B 4.2.2) */

/* events */

static uint64_t accuracy_ppm(const struct ys_air_link *link)
{
    static const uint16_t ppm[] = {500, 250, 150, 100, 75, 50, 30, 20};
    return (link->begun ? ppm[link->request.clock_accuracy & 7] : 500u) + 50u; /* and that of who listened */
}

static void audit_first(struct ys_audit *audit, const struct ys_seen *seen)
{
    const struct ys_air_link *link = seen->link;
    uint64_t from_ns;
    uint64_t to_ns;
    ys_air_link_window(link, &from_ns, &to_ns);
    uint64_t start_ns = seen->record->air.start_ns;
    if (seen->packet.counter > 0) {
        audit_cannot_tell(audit, YS_RULE_FIRST_WINDOW);
        return;
    }
    uint64_t most_ns = ANCHOR_NS + audit->rounded_ns;
    (void)audit_judge(audit, YS_RULE_FIRST_WINDOW, start_ns + most_ns >= from_ns && start_ns <= to_ns + most_ns,
                      "%.3f ms after the connect request, in place of %.3f to %.3f ms",
                      (double)(start_ns - link->request_end_ns) / 1e6, (double)(from_ns - link->request_end_ns) / 1e6,
                      (double)(to_ns - link->request_end_ns) / 1e6);
}

static void audit_anchor(struct ys_audit *audit, const struct ys_seen *seen)
{
    const struct ys_air_link *link = seen->link;
    uint64_t most_ns = ANCHOR_NS + audit->rounded_ns + link->since_ns / 1000000 * accuracy_ppm(link);
    uint64_t off_ns = audit_distance(seen->record->air.start_ns, link->expected_ns);
    /* where the first packet of an event was missed, a later one comes first */
    bool later = link->holes > 0 && seen->record->air.start_ns > link->expected_ns + YS_NEXT_PACKET_NS;
    if (link->expected_ns == 0 || !seen->packet.side_is_sure || !seen->packet.anchor_is_sure || later) {
        audit_cannot_tell(audit, YS_RULE_ANCHOR);
        return;
    }
    (void)audit_judge(audit, YS_RULE_ANCHOR, off_ns <= most_ns,
                      "%.1f us off, more than the %.1f us that the clock allows", (double)off_ns / 1e3,
                      (double)most_ns / 1e3);
}

static void audit_event(struct ys_audit *audit, const struct ys_seen *seen)
{
    const struct ys_air_link *link = seen->link;
    uint8_t channel;
    if (!seen->packet.new_event)
        return;
    if (seen->packet.side == 0 && link->events == 1 && link->begun)
        audit_first(audit, seen);
    else if (seen->packet.side == 0 && link->events > 1)
        audit_anchor(audit, seen);
    if ((seen->record->known & YS_AIR_CHANNEL) == 0 || !ys_air_link_channel(link, &channel))
        audit_cannot_tell(audit, YS_RULE_EVENT_CHANNEL);
    else
        (void)audit_judge(audit, YS_RULE_EVENT_CHANNEL, channel == seen->record->air.channel,
                          "event %u is on channel %u, in place of %u", seen->packet.counter, seen->record->air.channel,
                          channel);
}

static void audit_established(struct ys_audit *audit, const struct ys_seen *seen, struct audited_link *audited)
{
    if (audited->answered || !seen->link->begun)
        return;
    audited->answered = seen->packet.side == 1;
    if (audited->answered) {
        (void)audit_judge(audit, YS_RULE_ESTABLISHED, true, "%s", "");
        return;
    }
    audited->events_alone = (uint16_t)(audited->events_alone + seen->packet.new_event);
    if (seen->packet.new_event && audited->events_alone == ALONE_MOST + 1)
        (void)audit_judge(audit, YS_RULE_ESTABLISHED, false, "a seventh event without any answer");
}

/* Packets that follow each other in an event. */
static void audit_exchange(struct ys_audit *audit, const struct ys_seen *seen)
{
    const struct ys_link_seen *packet = &seen->packet;
    const struct ys_link_end *own = &packet->ends_before[packet->side];
    const struct ys_link_end *other = &packet->ends_before[!packet->side];
    uint64_t start_ns = seen->record->air.start_ns;
    bool own_last = own->any && (!other->any || own->end_ns > other->end_ns);
    uint64_t last_ns = own_last ? own->end_ns : other->end_ns;
    uint64_t gap_ns = start_ns > last_ns ? start_ns - last_ns : 0;
    bool nothing_between = gap_ns < EMPTY_LEAST_NS + 2 * YS_LINK_INTER_FRAME_SPACE_NS;
    if (packet->new_event || (!own->any && !other->any))
        return;
    bool perhaps_next = (seen->link->interval_us == 0 || !seen->link->anchor_is_sure) &&
                        gap_ns > YS_LINK_INTER_FRAME_SPACE_NS + audit_jitter_ns(audit);
    if (!nothing_between || perhaps_next || !packet->side_is_sure) {
        audit_cannot_tell(audit, YS_RULE_TURNS);
        audit_cannot_tell(audit, YS_RULE_INTER_FRAME_SPACE);
        return;
    }
    if (audit_judge(audit, YS_RULE_TURNS, !own_last, "two packets in a row, %.3f us apart", (double)gap_ns / 1e3))
        (void)audit_judge(audit, YS_RULE_INTER_FRAME_SPACE,
                          audit_distance(gap_ns, YS_LINK_INTER_FRAME_SPACE_NS) <= audit_jitter_ns(audit),
                          "%.3f us after the packet before it", (double)gap_ns / 1e3);
}

/* After two packets that were both heard, and both without more data (Vol 6 Part B 4.5.6). */
static void audit_closed(struct ys_audit *audit, const struct ys_seen *seen)
{
    const struct ys_link_seen *packet = &seen->packet;
    const struct ys_link_end *own = &packet->ends_before[packet->side];
    const struct ys_link_end *other = &packet->ends_before[!packet->side];
    if (packet->side != 0 || packet->new_event || packet->apart || !own->any || !other->any ||
        own->start_ns < seen->link->apart_ns || !packet->side_is_sure)
        return;
    bool other_heard = other->next_expected != own->sequence;
    bool own_heard = packet->data.next_expected != other->sequence;
    if (other_heard && own_heard)
        (void)audit_judge(audit, YS_RULE_EVENT_CLOSED, own->more || other->more,
                          "it continues, although packets %llu and %llu announce no more data",
                          (unsigned long long)own->record, (unsigned long long)other->record);
}

/* acknowledgement */

static void audit_bits(struct ys_audit *audit, const struct ys_seen *seen)
{
    const struct ys_link_seen *packet = &seen->packet;
    const struct ys_link_end *own = &packet->ends_before[packet->side];
    const struct ys_link_end *other = &packet->ends_before[!packet->side];
    bool is_new = own->any && packet->data.sequence != own->sequence;
    bool answered = own->any && other->any && other->start_ns > own->start_ns;
    if (!own->any)
        return;
    if (!answered || own->start_ns < seen->link->apart_ns) { /* one between them may be missing */
        audit_cannot_tell(audit, YS_RULE_SEQUENCE);
        return;
    }
    if (is_new)
        (void)audit_judge(audit, YS_RULE_SEQUENCE, other->next_expected == packet->data.sequence,
                          "a new packet, though number %llu does not acknowledge the one before",
                          (unsigned long long)other->record);
    else if (packet->repeated)
        (void)audit_judge(audit, YS_RULE_SAME_AGAIN, true, "%s", "");
    else if (!packet->new_event && other->next_expected == packet->data.sequence)
        (void)audit_judge(audit, YS_RULE_SAME_AGAIN, false, "number %llu was not acknowledged, and this is another",
                          (unsigned long long)own->record);
    else
        audit_cannot_tell(audit, YS_RULE_SAME_AGAIN);
    if (packet->data.next_expected != own->next_expected)
        (void)audit_judge(audit, YS_RULE_ACKNOWLEDGEMENT, other->sequence == own->next_expected,
                          "it acknowledges number %llu, which was not new", (unsigned long long)other->record);
}

/* lengths */

static uint16_t least(uint16_t a, uint16_t b)
{
    return a < b ? a : b;
}

static void audit_length(struct ys_audit *audit, const struct ys_seen *seen)
{
    const struct ys_link_seen *packet = &seen->packet;
    const struct ys_link_lengths *own = &seen->link->ends[packet->side].lengths;
    const struct ys_link_lengths *other = &seen->link->ends[!packet->side].lengths;
    const struct ys_air_packet *air = &seen->record->air;
    bool agreed = own->send_octets != 0 && other->receive_octets != 0;
    uint16_t octets = agreed ? least(own->send_octets, other->receive_octets) : YS_LINK_PAYLOAD_DEFAULT;
    uint16_t us = agreed ? least(own->send_us, other->receive_us) : YS_LINK_TIME_DEFAULT_US;
    uint16_t length = packet->data.length;
    if (ys_phy_is_coded(air->phy) && us < YS_LINK_TIME_CODED_US)
        us = YS_LINK_TIME_CODED_US;
    if (seen->link->is_encrypted || packet->readable != YS_READ_CLEAR)
        length = length > YS_LINK_MIC_SIZE ? (uint16_t)(length - YS_LINK_MIC_SIZE) : 0;
    if ((!seen->link->begun || seen->link->holes > 0) && !agreed) {
        audit_cannot_tell(audit, YS_RULE_DATA_LENGTH);
        audit_cannot_tell(audit, YS_RULE_DATA_TIME);
        return;
    }
    if (packet->data.length == 0)
        return;
    (void)audit_judge(audit, YS_RULE_DATA_LENGTH, length <= octets, "%u bytes, and %u are agreed", length, octets);
    (void)audit_judge(audit, YS_RULE_DATA_TIME, air->duration_ns <= us * NS_PER_US, "%.0f us, and %u are agreed",
                      (double)air->duration_ns / 1e3, us);
}

/* supervision */

static void audit_supervision(struct ys_audit *audit, const struct ys_seen *seen, struct audited_link *audited)
{
    int side = seen->packet.side;
    uint64_t now_ns = seen->record->air.start_ns;
    uint64_t heard_ns = audited->heard_ns[!side];
    uint64_t timeout_ns = (uint64_t)seen->link->timeout * 10 * NS_PER_MS + seen->link->interval_us * NS_PER_US;
    audited->heard_ns[side] = now_ns;
    if (heard_ns == 0 || seen->link->timeout == 0)
        return;
    if (now_ns <= heard_ns + timeout_ns) {
        (void)audit_judge(audit, YS_RULE_SUPERVISION, true, "%s", "");
        audited->supervised[side] = false;
    } else if (!audited->supervised[side]) {
        (void)audit_judge(audit, YS_RULE_SUPERVISION, false, "%.3f s after the other side's last packet",
                          (double)(now_ns - heard_ns) / 1e9);
        audited->supervised[side] = true;
    }
}

static void audit_end(struct ys_audit *audit, const struct ys_seen *seen, struct audited_link *audited)
{
    const struct ys_link_seen *packet = &seen->packet;
    bool tells = packet->data.length > 0 && !packet->repeated;
    if (audited->ended[packet->side] && tells)
        (void)audit_judge(audit, YS_RULE_AFTER_END, false, "%u bytes after LL_TERMINATE_IND", packet->data.length);
    if (packet->is_control && packet->control_good && packet->control.opcode == YS_LINK_TERMINATE_IND && tells) {
        (void)audit_judge(audit, YS_RULE_AFTER_END, true, "%s", "");
        audited->ended[packet->side] = true;
    }
}

/* encryption */

/* Whether bytes that should be encrypted are a frame of L2CAP as they stand. */
static bool is_clear_frame(const struct ys_link_data *data)
{
    return data->kind == YS_LINK_FIRST && data->length >= 5 && data->payload[0] == data->length - 4 &&
           data->payload[1] == 0 && data->payload[2] >= YS_L2CAP_ATT && data->payload[2] <= YS_L2CAP_SECURITY &&
           data->payload[3] == 0;
}

static void audit_integrity(struct ys_audit *audit, const struct ys_seen *seen)
{
    const struct ys_link_seen *packet = &seen->packet;
    if (!seen->link->is_encrypted || packet->data.length == 0 || packet->repeated ||
        (seen->record->known & YS_AIR_PLAIN) != 0)
        return;
    if (packet->readable == YS_READ_DECRYPTED) {
        (void)audit_judge(audit, YS_RULE_MIC, true, "%s", "");
        (void)audit_judge(audit, YS_RULE_CLEAR_AGAIN, true, "%s", "");
    } else if (packet->readable == YS_READ_NOT && is_clear_frame(&packet->data) && !seen->link->encryption_unsure) {
        (void)audit_judge(audit, YS_RULE_CLEAR_AGAIN, false, "a frame in clear on an encrypted link");
    } else if (packet->mic_failed && !seen->link->encryption_unsure) {
        (void)audit_judge(audit, YS_RULE_MIC, false, "the MIC of %u bytes does not fit", packet->data.length);
    } else if (packet->readable == YS_READ_NOT) {
        audit_cannot_tell(audit, YS_RULE_MIC);
    }
}

static void audit_phy(struct ys_audit *audit, const struct ys_seen *seen)
{
    const struct ys_air_link *link = seen->link;
    enum ys_phy phy = seen->record->air.phy;
    enum ys_phy agreed = link->phys[seen->packet.side];
    if ((seen->record->known & YS_AIR_PHY) == 0 || !link->knows_phys || !seen->packet.counted)
        audit_cannot_tell(audit, YS_RULE_LINK_PHY);
    else
        (void)audit_judge(audit, YS_RULE_LINK_PHY, phy == agreed || (ys_phy_is_coded(phy) && ys_phy_is_coded(agreed)),
                          "on %s, in place of %s", audit_phy_word(phy), audit_phy_word(agreed));
}

static void audit_said(struct ys_audit *audit, const struct ys_seen *seen, struct audited_link *audited)
{
    const struct ys_link_seen *packet = &seen->packet;
    int side = packet->side;
    bool plain = (seen->record->known & YS_AIR_PLAIN) != 0;
    struct audit_place place = {.dialogue = &audited->dialogue,
                                .followed = &seen->link->dialogue,
                                .side = side,
                                .encrypted = seen->link->is_encrypted,
                                .knows_encryption = !plain && !seen->link->encryption_unsure &&
                                                    (seen->link->begun || seen->link->is_encrypted),
                                .hole = audited->hole};
    if (packet->data.length == 0 || packet->repeated || packet->is_control || packet->readable == YS_READ_NOT)
        return;
    audit_frame(audit, &packet->said, &place, packet->data.kind == YS_LINK_FIRST);
}

/* After a hole it is as if the connection had been joined in its middle. */
static void forget(struct audited_link *audited)
{
    audited->hole = true;
    audited->answered = true;
    audited->encryption = 0;
    audited->starting = false;
    memset(&audited->dialogue, 0, sizeof audited->dialogue);
    for (int side = 0; side < 2; side++) {
        audited->heard_ns[side] = 0;
        audited->procedures[side].opcode = PROCEDURE_NONE;
        audited->has_phys[side] = false;
    }
}

void audit_link(struct ys_audit *audit, const struct ys_seen *seen, struct audited_link *audited)
{
    const struct ys_air_packet *air = &seen->record->air;
    const struct ys_link_seen *packet = &seen->packet;
    if (packet->hole)
        forget(audited);
    if ((seen->record->known & YS_AIR_CHANNEL) != 0)
        (void)audit_judge(audit, YS_RULE_LINK_CHANNEL, air->channel < 37, "a packet of a connection on channel %u",
                          air->channel);
    (void)audit_judge(audit, YS_RULE_DATA_FORM, seen->good, "LLID %u, length %u, with %u bytes", air->pdu[0] & 3,
                      air->pdu[1], air->length - 2);
    audit_event(audit, seen);
    audit_established(audit, seen, audited);
    audit_exchange(audit, seen);
    audit_phy(audit, seen);
    if (!seen->good)
        return;
    audit_closed(audit, seen);
    audit_bits(audit, seen);
    audit_length(audit, seen);
    audit_supervision(audit, seen, audited);
    audit_end(audit, seen, audited);
    audit_control(audit, seen, audited);
    audit_integrity(audit, seen);
    audit_said(audit, seen, audited);
    const struct audit_place waiting = {.dialogue = &audited->dialogue, .followed = &seen->link->dialogue};
    audit_attributes_wait(audit, &waiting);
}
