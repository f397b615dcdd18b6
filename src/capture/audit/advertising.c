/* Rules of advertising, scanning and connecting (Core 5.4 Vol 6 Part B 2.3, 4.4). */
#include "capture/audit/advertising.h"

#include <string.h>

#include "capture/audit/chains.h"
#include "capture/audit/payload.h"
#include "capture/audit/ranges.h"
#include "capture/audit/verdicts.h"
#include "capture/follow/hash.h"

#define LEAST_INTERVAL_NS (20 * NS_PER_MS)
#define EVENT_SPACING_NS  (10 * NS_PER_MS)
#define NEXT_NS           (3 * NS_PER_MS) /* packets of an event follow each other faster than events do */
#define SAME_MOST         20
#define CLOCK_NS          (5 * NS_PER_US) /* of 50 ppm, and a little more */
#define SMALL_UNITS_US    245700

static bool is_advertisement(uint8_t type)
{
    return type == YS_LINK_ADV_IND || type == YS_LINK_ADV_DIRECT_IND || type == YS_LINK_ADV_NONCONN_IND ||
           type == YS_LINK_ADV_SCAN_IND;
}

static uint64_t end_of(const struct ys_seen *seen)
{
    return seen->record->air.start_ns + seen->record->air.duration_ns;
}

/* Whether all bits are the same but the two that tell the kind. */
static bool is_regular(const struct ys_address *address)
{
    static const uint8_t ones[5] = {0xff, 0xff, 0xff, 0xff, 0xff};
    static const uint8_t zeros[5];
    uint8_t top = address->bytes[5] & 0x3f;
    return (top == 0 && memcmp(address->bytes, zeros, 5) == 0) || (top == 0x3f && memcmp(address->bytes, ones, 5) == 0);
}

static void audit_address(struct ys_audit *audit, const struct ys_address *address)
{
    if ((address->type & 1) == YS_ADDRESS_PUBLIC)
        return;
    (void)audit_judge(audit, YS_RULE_ADDRESS_FORM, address->bytes[5] >> 6 != 2 && !is_regular(address),
                      "the random address begins with 0x%02x", address->bytes[5]);
}

/* events */

static void begin_event(struct ys_audit *audit, struct advertiser *advertiser, uint64_t start_ns, bool same_payload)
{
    uint64_t interval_ns = start_ns - advertiser->event_ns;
    bool directed = advertiser->type == YS_LINK_ADV_DIRECT_IND;
    if (!directed && same_payload) {
        (void)audit_judge(audit, YS_RULE_ADVERTISING_SPACING,
                          interval_ns + 50 * NS_PER_US + audit->rounded_ns >= LEAST_INTERVAL_NS,
                          "the event begins %.3f ms after the one before", (double)interval_ns / 1e6);
        bool same = audit_distance(interval_ns, advertiser->interval_ns) <= NS_PER_US;
        advertiser->same = same ? (uint8_t)(advertiser->same + 1) : 0;
        if (!same || advertiser->same >= SAME_MOST)
            (void)audit_judge(audit, YS_RULE_ADVERTISING_DELAY, !same, "%u intervals in a row were all %.3f ms",
                              SAME_MOST, (double)interval_ns / 1e6);
        if (advertiser->same >= SAME_MOST)
            advertiser->same = 0;
    }
    advertiser->interval_ns = interval_ns;
    advertiser->event_ns = start_ns;
}

static void audit_event(struct ys_audit *audit, const struct ys_seen *seen)
{
    const struct ys_air_packet *air = &seen->record->air;
    const struct ys_link_advertising *pdu = &seen->legacy;
    if (seen->from == NULL || (seen->record->known & YS_AIR_CHANNEL) == 0)
        return;
    struct advertiser *advertiser = &audit->advertisers[seen->from->number];
    uint32_t payload = ys_hash(pdu->data, pdu->length) ^ pdu->type;
    uint64_t since_ns = air->start_ns > advertiser->last_ns ? air->start_ns - advertiser->last_ns : 0;
    bool same_payload = advertiser->payload == payload;
    if (advertiser->any && air->start_ns < advertiser->end_ns)
        advertiser->shared = true;
    if (advertiser->shared) {
        audit_cannot_tell(audit, YS_RULE_ADVERTISING_SPACING);
        audit_cannot_tell(audit, YS_RULE_CHANNEL_ORDER);
    } else if (!advertiser->any) {
        advertiser->event_ns = air->start_ns;
    } else if (air->channel > advertiser->last_channel && since_ns < LEAST_INTERVAL_NS / 2 + EVENT_SPACING_NS &&
               same_payload) {
        advertiser->inverted = 0;
        (void)audit_judge(audit, YS_RULE_CHANNEL_ORDER, true, "%s", "");
        (void)audit_judge(audit, YS_RULE_EVENT_SPACING, since_ns <= EVENT_SPACING_NS + audit->rounded_ns,
                          "%.3f ms after the packet before it", (double)since_ns / 1e6);
    } else if (air->channel < advertiser->last_channel && since_ns < NEXT_NS && same_payload &&
               pdu->type != YS_LINK_ADV_DIRECT_IND) {
        /* once, it may have begun anew, as after a connect request that nobody heard */
        if (advertiser->inverted++ == 0)
            audit_cannot_tell(audit, YS_RULE_CHANNEL_ORDER);
        else
            (void)audit_judge(audit, YS_RULE_CHANNEL_ORDER, false, "channel %u after %u, %.3f ms later, and not once",
                              air->channel, advertiser->last_channel, (double)since_ns / 1e6);
    } else {
        begin_event(audit, advertiser, air->start_ns, same_payload);
    }
    advertiser->any = true;
    advertiser->type = pdu->type;
    advertiser->payload = payload;
    advertiser->last_channel = air->channel;
    advertiser->last_ns = air->start_ns;
    advertiser->end_ns = end_of(seen);
}

/* requests and answers */

/* Whether an advertisement allows the request that follows it. */
static bool allows(const struct heard *heard, uint8_t request)
{
    if (heard->is_extended)
        return heard->type == (request == YS_LINK_SCAN_REQ ? YS_LINK_MODE_SCANNABLE : YS_LINK_MODE_CONNECTABLE);
    if (request == YS_LINK_SCAN_REQ)
        return heard->type == YS_LINK_ADV_IND || heard->type == YS_LINK_ADV_SCAN_IND;
    return heard->type == YS_LINK_ADV_IND || heard->type == YS_LINK_ADV_DIRECT_IND;
}

/* The advertiser that a request addresses. If two advertisements end at the same time, either may be meant, even one
 * that only the scanner could hear. */
static void audit_target(struct ys_audit *audit, const struct ys_seen *seen, const struct heard *heard,
                         uint64_t after_ns)
{
    uint64_t start_ns = seen->record->air.start_ns;
    if (!heard->any || heard->from == NULL || seen->to == NULL ||
        audit_distance(after_ns, YS_LINK_INTER_FRAME_SPACE_NS) > audit_jitter_ns(audit))
        return;
    const struct advertiser *target = &audit->advertisers[seen->to->number];
    bool meant = heard->from == seen->to ||
                 (target->any && start_ns > target->end_ns &&
                  audit_distance(start_ns - target->end_ns, YS_LINK_INTER_FRAME_SPACE_NS) <= audit_jitter_ns(audit));
    bool disturbed = audit->damaged_ns > 0 && audit->damaged_ns + NS_PER_MS > heard->start_ns;
    if (!meant && disturbed)
        audit_cannot_tell(audit, YS_RULE_REQUEST_TARGET);
    else
        (void)audit_judge(audit, YS_RULE_REQUEST_TARGET, meant,
                          "it is addressed to another device than the one heard just before");
}

static void audit_request(struct ys_audit *audit, const struct ys_seen *seen)
{
    const struct ys_air_packet *air = &seen->record->air;
    const struct heard *heard = &audit->advertisements[air->channel];
    uint64_t after_ns = air->start_ns > heard->end_ns ? air->start_ns - heard->end_ns : 0;
    audit_target(audit, seen, heard, after_ns);
    /* it answers the advertisement of its target just before; an anonymous sender cannot be matched */
    if (!heard->any || heard->from == NULL || heard->from != seen->to || after_ns > NS_PER_MS) {
        audit_cannot_tell(audit, YS_RULE_REQUEST_TIME);
        audit_cannot_tell(audit, YS_RULE_REQUEST_FITS);
        return;
    }
    (void)audit_judge(audit, YS_RULE_REQUEST_TIME,
                      audit_distance(after_ns, YS_LINK_INTER_FRAME_SPACE_NS) <= audit_jitter_ns(audit),
                      "%.3f us after the advertisement", (double)after_ns / 1e3);
    (void)audit_judge(audit, YS_RULE_REQUEST_FITS, allows(heard, seen->legacy.type),
                      "%s answers an advertisement that does not allow it",
                      seen->legacy.type == YS_LINK_SCAN_REQ ? "a scan request" : "a connect request");
    if (seen->legacy.type == YS_LINK_CONNECT_IND && !heard->is_extended && heard->type == YS_LINK_ADV_DIRECT_IND)
        (void)audit_judge(audit, YS_RULE_REQUEST_DIRECTED, heard->to == seen->from,
                          "the advertisement was directed to another device");
}

static void audit_response(struct ys_audit *audit, const struct ys_seen *seen)
{
    const struct ys_air_packet *air = &seen->record->air;
    const struct heard *request = &audit->requests[air->channel];
    uint64_t after_ns = air->start_ns > request->end_ns ? air->start_ns - request->end_ns : 0;
    if (!request->any || after_ns > NS_PER_MS) {
        audit_cannot_tell(audit, YS_RULE_RESPONSE_TIME);
        audit_cannot_tell(audit, YS_RULE_RESPONSE_ASKED);
        return;
    }
    (void)audit_judge(audit, YS_RULE_RESPONSE_ASKED, request->to == seen->from, "somebody else was asked");
    (void)audit_judge(audit, YS_RULE_RESPONSE_TIME,
                      audit_distance(after_ns, YS_LINK_INTER_FRAME_SPACE_NS) <= audit_jitter_ns(audit),
                      "%.3f us after the request", (double)after_ns / 1e3);
}

static void note(struct heard *heard, const struct ys_seen *seen, bool extended)
{
    *heard = (struct heard){.any = true,
                            .is_extended = extended,
                            .type = extended ? seen->extended.mode : seen->legacy.type,
                            .from = seen->from,
                            .to = seen->to,
                            .start_ns = seen->record->air.start_ns,
                            .end_ns = end_of(seen)};
}

/* connect requests */

static unsigned transitions(uint32_t bits, int from, int to)
{
    unsigned count = 0;
    for (int i = from; i < to; i++)
        count += (bits >> i & 1) != (bits >> (i + 1) & 1);
    return count;
}

static bool has_long_run(uint32_t bits)
{
    int run = 1;
    for (int i = 1; i < 32; i++) {
        run = (bits >> i & 1) == (bits >> (i - 1) & 1) ? run + 1 : 1;
        if (run > 6)
            return true;
    }
    return false;
}

/* Vol 6 Part B 2.1.2 */
static bool is_irregular(uint32_t address)
{
    uint32_t other = address ^ YS_LINK_ADVERTISING_ACCESS_ADDRESS;
    bool one_bit_off = other == 0 || (other & (other - 1)) == 0;
    bool equal = address % 0x01010101u == 0;
    return !one_bit_off && !equal && !has_long_run(address) && transitions(address, 0, 31) <= 24 &&
           transitions(address, 26, 31) >= 2;
}

static void audit_connect(struct ys_audit *audit, const struct ys_link_connect *connect)
{
    (void)audit_judge(audit, YS_RULE_ACCESS_ADDRESS, is_irregular(connect->access_address),
                      "the access address is %08x", connect->access_address);
    (void)audit_judge(audit, YS_RULE_HOP, connect->hop >= 5 && connect->hop <= 16, "the hop is %u", connect->hop);
    (void)audit_judge(audit, YS_RULE_CONNECT_INTERVAL, connect->interval >= 6 && connect->interval <= 3200,
                      "the interval is %g ms", connect->interval * 1.25);
    (void)audit_judge(audit, YS_RULE_CONNECT_LATENCY, connect->latency <= 499, "the latency is %u", connect->latency);
    (void)audit_judge(audit, YS_RULE_CONNECT_TIMEOUT,
                      connect->timeout >= 10 && connect->timeout <= 3200 &&
                          connect->timeout * 8u > (1u + connect->latency) * connect->interval * 2u,
                      "the timeout is %u ms, with an interval of %g ms and a latency of %u", connect->timeout * 10u,
                      connect->interval * 1.25, connect->latency);
    (void)audit_judge(audit, YS_RULE_CONNECT_WINDOW,
                      audit_window_is_good(connect->window_size, connect->window_offset, connect->interval),
                      "a window of %g ms, %g ms off, with an interval of %g ms", connect->window_size * 1.25,
                      connect->window_offset * 1.25, connect->interval * 1.25);
    (void)audit_judge(audit, YS_RULE_CONNECT_MAP, audit_map_is_good(connect->channel_map),
                      "the map is %02x %02x %02x %02x %02x", connect->channel_map[0], connect->channel_map[1],
                      connect->channel_map[2], connect->channel_map[3], connect->channel_map[4]);
}

void audit_advertising(struct ys_audit *audit, const struct ys_seen *seen)
{
    const struct ys_record *record = seen->record;
    const struct ys_air_packet *air = &record->air;
    const struct ys_link_advertising *pdu = &seen->legacy;
    if (!audit_judge(audit, YS_RULE_ADVERTISING_FORM, seen->good, "type %u with %u bytes", air->pdu[0] & 0x0f,
                     air->length))
        return;
    bool request = pdu->type == YS_LINK_SCAN_REQ || pdu->type == YS_LINK_CONNECT_IND;
    bool primary = air->channel >= 37;
    audit_address(audit, &pdu->sender);
    if ((record->known & YS_AIR_CHANNEL) != 0 && !request)
        (void)audit_judge(audit, YS_RULE_LEGACY_ON_PRIMARY, primary, "%s on channel %u", "a legacy PDU", air->channel);
    if ((record->known & YS_AIR_PHY) != 0 && (!request || primary))
        (void)audit_judge(audit, YS_RULE_LEGACY_ON_1M, air->phy == YS_PHY_1M, "a legacy PDU on another PHY");
    if (is_advertisement(pdu->type)) {
        audit_event(audit, seen);
        note(&audit->advertisements[air->channel], seen, false);
    } else if (request) {
        audit_request(audit, seen);
        note(&audit->requests[air->channel], seen, false);
        if (pdu->type == YS_LINK_CONNECT_IND) {
            audit_connect(audit, &pdu->connect);
            if (ys_phy_is_coded(air->phy) && (record->known & YS_AIR_PHY) != 0)
                (void)audit_judge(audit, YS_RULE_ACCESS_ADDRESS_CODED,
                                  audit_address_fits_coded(pdu->connect.access_address), "the access address is %08x",
                                  pdu->connect.access_address);
            if (seen->to != NULL)
                audit->advertisers[seen->to->number].any = false; /* what it does then is up to its host */
        }
    } else {
        audit_response(audit, seen);
    }
    if (pdu->length > 0)
        audit_payload(audit, pdu->data, pdu->length, pdu->type == YS_LINK_SCAN_RSP);
}

/* extended advertising */

static void await_packet(struct ys_audit *audit, const struct ys_seen *seen)
{
    const struct ys_link_extended *pdu = &seen->extended;
    const struct ys_link_aux *aux = &pdu->aux;
    uint64_t start_ns = seen->record->air.start_ns;
    uint32_t step_us = ys_link_aux_step_us(aux->offset_us);
    (void)audit_judge(audit, YS_RULE_AUXILIARY_LEAST,
                      (aux->offset_us + step_us) * NS_PER_US >= seen->record->air.duration_ns + YS_LINK_AUX_SPACE_NS,
                      "it points %u us on, and itself lasts %.0f us", aux->offset_us,
                      (double)seen->record->air.duration_ns / 1e3);
    audit->awaited[audit->next_awaited++ % AWAITED_MOST] = (struct awaited){
        .any = pdu->has_data_id,
        .channel = aux->channel,
        .set = pdu->data_id.set,
        .version = pdu->data_id.version,
        .from_ns = start_ns + aux->offset_us * NS_PER_US,
        .step_ns = step_us * NS_PER_US,
        .primary_ns = seen->record->air.channel >= 37 ? start_ns : 0,
        .phy = aux->phy,
        .mode = pdu->mode,
    };
}

/* Whether the pointers on the primary channels of an event lead to one place. */
static void audit_agreement(struct ys_audit *audit, const struct ys_seen *seen)
{
    const struct ys_link_extended *pdu = &seen->extended;
    uint64_t start_ns = seen->record->air.start_ns;
    uint64_t from_ns = start_ns + pdu->aux.offset_us * NS_PER_US;
    uint64_t to_ns = from_ns + ys_link_aux_step_us(pdu->aux.offset_us) * NS_PER_US;
    for (size_t i = 0; i < AWAITED_MOST; i++) {
        const struct awaited *other = &audit->awaited[i];
        bool same_event = other->any && other->primary_ns > 0 && other->set == pdu->data_id.set &&
                          other->version == pdu->data_id.version && start_ns > other->primary_ns &&
                          start_ns < other->primary_ns + EVENT_SPACING_NS && other->from_ns > start_ns;
        if (!same_event)
            continue;
        bool agrees = other->channel == pdu->aux.channel && from_ns <= other->from_ns + other->step_ns + CLOCK_NS &&
                      other->from_ns <= to_ns + CLOCK_NS;
        (void)audit_judge(audit, YS_RULE_AUXILIARY_AGREE, agrees, "channel %u, %.0f us from where channel %u was named",
                          pdu->aux.channel, (double)audit_distance(from_ns, other->from_ns) / 1e3, other->channel);
        return;
    }
}

/* Whether a packet at the place of a pointer has the set and data that the pointer names. */
static void audit_pointed(struct ys_audit *audit, const struct ys_seen *seen, const struct awaited *awaited)
{
    enum ys_phy phy = seen->record->air.phy;
    bool coded = ys_phy_is_coded(phy) && awaited->phy == YS_PHY_CODED_S8;
    if ((seen->record->known & YS_AIR_PHY) != 0)
        (void)audit_judge(audit, YS_RULE_AUXILIARY_PHY, awaited->phy == phy || coded, "on %s, in place of %s",
                          audit_phy_word(phy), audit_phy_word((enum ys_phy)awaited->phy));
    if (awaited->primary_ns > 0)
        (void)audit_judge(audit, YS_RULE_AUXILIARY_MODE, awaited->mode == seen->extended.mode,
                          "its mode is %u, and the mode of its pointer is %u", seen->extended.mode, awaited->mode);
}

/* Whether a packet must be the target of the primary channels: a piece of a chain, or an answer, follows another
 * packet, which may have been missed. */
static bool is_pointed_to(const struct ys_link_extended *pdu, const struct awaited *awaited)
{
    return awaited->primary_ns > 0 && awaited->mode == pdu->mode &&
           (pdu->has_sender || pdu->mode != YS_LINK_MODE_NEITHER);
}

/* Whether a packet arrives at the place of a pointer to its set and data. */
static void audit_place_of(struct ys_audit *audit, const struct ys_seen *seen)
{
    const struct ys_air_packet *air = &seen->record->air;
    const struct ys_link_data_id *id = &seen->extended.data_id;
    const struct awaited *missed = NULL;
    const struct awaited *met = NULL;
    for (size_t i = 0; i < AWAITED_MOST; i++) {
        struct awaited *awaited = &audit->awaited[i];
        if (!awaited->any || awaited->set != id->set || awaited->version != id->version)
            continue;
        uint64_t slack_ns = CLOCK_NS + awaited->step_ns;
        if (air->channel == awaited->channel && air->start_ns + CLOCK_NS >= awaited->from_ns &&
            air->start_ns <= awaited->from_ns + slack_ns) {
            awaited->come = true; /* as all that point there */
            met = awaited;
        } else if (!awaited->come && audit_distance(air->start_ns, awaited->from_ns) < 2 * NS_PER_MS &&
                   is_pointed_to(&seen->extended, awaited)) {
            missed = awaited;
        }
    }
    if (met != NULL) {
        (void)audit_judge(audit, YS_RULE_AUXILIARY_PLACE, true, "%s", "");
        audit_pointed(audit, seen, met);
    } else if (missed != NULL) {
        (void)audit_judge(audit, YS_RULE_AUXILIARY_PLACE, false,
                          "on channel %u, %.0f us from where channel %u was announced", air->channel,
                          (double)audit_distance(air->start_ns, missed->from_ns) / 1e3, missed->channel);
    } else {
        audit_cannot_tell(audit, YS_RULE_AUXILIARY_PLACE);
    }
}

/* The pointer of a PDU, even if the rest is malformed (Vol 6 Part B 2.3.4: flags, two addresses, constant tone
 * information, data information, then the pointer). False if it breaks its rule. */
static bool audit_pointer(struct ys_audit *audit, const struct ys_air_packet *air)
{
    struct ys_reader reader = ys_reader_of(air->pdu, air->length);
    (void)ys_get_u16(&reader);
    size_t header = ys_get_u8(&reader) & 0x3f;
    struct ys_reader fields = ys_get_part(&reader, header);
    uint8_t flags = ys_get_u8(&fields);
    size_t before =
        ((flags & 1) != 0 ? 6u : 0) + ((flags & 2) != 0 ? 6u : 0) + ((flags & 4) != 0) + ((flags & 8) != 0 ? 2u : 0);
    (void)ys_get_bytes(&fields, before);
    uint8_t first = ys_get_u8(&fields);
    uint8_t channel = first & 0x3f;
    unsigned rest = ys_get_u16(&fields);
    unsigned phy = rest >> 13;
    unsigned offset = rest & 0x1fff;
    if ((flags & 0x10) == 0 || !ys_reader_ok(&fields))
        return true;
    (void)audit_judge(audit, YS_RULE_AUXILIARY_UNITS, (first & 0x80) == 0 || offset * 300 >= SMALL_UNITS_US,
                      "%u steps of 300 us", offset);
    return audit_judge(audit, YS_RULE_AUXILIARY_POINTER, channel <= 36 && phy <= 2, "it points to channel %u, PHY %u",
                       channel, phy);
}

void audit_extended(struct ys_audit *audit, const struct ys_seen *seen)
{
    const struct ys_air_packet *air = &seen->record->air;
    const struct ys_link_extended *pdu = &seen->extended;
    bool primary = air->channel >= 37;
    bool mode_is_good = air->length < 3 || air->pdu[1] == 0 || air->pdu[2] >> 6 != 3;
    if ((air->pdu[0] & 0x0f) == YS_LINK_ADV_EXTENDED)
        (void)audit_judge(audit, YS_RULE_EXTENDED_MODE, mode_is_good, "its mode is reserved");
    bool pointer_is_good = (air->pdu[0] & 0x0f) != YS_LINK_ADV_EXTENDED || audit_pointer(audit, air);
    if (!mode_is_good || !pointer_is_good ||
        !audit_judge(audit, YS_RULE_ADVERTISING_FORM, seen->good, "type %u with %u bytes", air->pdu[0] & 0x0f,
                     air->length))
        return;
    if (pdu->has_sender)
        audit_address(audit, &pdu->sender);
    if (primary && (seen->record->known & YS_AIR_PHY) != 0)
        (void)audit_judge(audit, YS_RULE_EXTENDED_PHY, air->phy != YS_PHY_2M, "an ADV_EXT_IND on 2M");
    /* an answer comes where and when it was asked for */
    if (!primary && pdu->type == YS_LINK_ADV_EXTENDED && pdu->has_data_id && seen->auxiliary != YS_AUXILIARY_SCAN_RSP)
        audit_place_of(audit, seen);
    if (pdu->has_aux && primary && pdu->has_data_id)
        audit_agreement(audit, seen);
    if (pdu->has_aux)
        await_packet(audit, seen);
    bool may_have_data = !primary && pdu->type != YS_LINK_CONNECT_RSP &&
                         (pdu->mode != YS_LINK_MODE_SCANNABLE || seen->auxiliary == YS_AUXILIARY_SCAN_RSP);
    (void)audit_judge(audit, YS_RULE_EXTENDED_DATA, pdu->length == 0 || may_have_data, "%u bytes of data", pdu->length);
    if (pdu->type == YS_LINK_CONNECT_RSP)
        audit_response(audit, seen);
    if (!primary && pdu->type == YS_LINK_ADV_EXTENDED) {
        audit_chain(audit, seen);
        note(&audit->advertisements[air->channel], seen, true);
    }
}
