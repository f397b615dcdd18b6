/* A connection as it is seen on the air.
 *
 * An event begins with the first packet on another channel, or when an interval has passed since the last anchor. The
 * counter goes on by as many intervals as have passed. What holds from an instant on is put off until then. */
#include "capture/follow/air_link.h"

#include <string.h>

#include "capture/follow/hash.h"
#include "capture/follow/holes.h"
#include "wire/link_control.h"

#define UNIT_NS        UINT64_C(1250000)
#define US             UINT64_C(1000)
#define NONE           0xff
#define INTERVAL_LEAST 6    /* in 1.25 ms */
#define INTERVAL_MOST  3200 /* likewise */
#define LEARNT         2    /* so often an interval must come again */
#define FRAME_USUAL    2048 /* longer ones are not believed to be in clear */
#define AHEAD          64   /* packets that can be missing in a row and their key be found again */
#define FIRST_FEW      4    /* the same, while it is not known which key it is */

/* How much earlier than expected an event may begin: of both clocks 500 ppm, and 50 us. */
static uint64_t slack_ns(uint64_t since_ns)
{
    return since_ns / 1000 + 50 * US;
}

static uint64_t interval_ns(const struct ys_air_link *link)
{
    return link->interval_us * US;
}

void ys_air_link_clear(struct ys_air_link *link)
{
    ys_opener_free(link->opener);
    ys_dialogue_clear(&link->dialogue);
    *link = (struct ys_air_link){.access_address = 0};
}

void ys_air_link_join(struct ys_air_link *link, const struct ys_record *record)
{
    *link = (struct ys_air_link){.access_address = record->air.access_address, .dialogue = {.mtu = YS_ATT_MTU_DEFAULT}};
    link->update.opcode = NONE;
    link->map.opcode = NONE;
    link->phy_update.opcode = NONE;
    link->phys[0] = record->air.phy;
    link->phys[1] = record->air.phy;
}

void ys_air_link_begin(struct ys_air_link *link, const struct ys_record *record,
                       const struct ys_link_advertising *request)
{
    const struct ys_link_connect *connect = &request->connect;
    ys_air_link_join(link, record);
    link->access_address = connect->access_address;
    link->begun = true;
    link->crc_init = connect->crc_init;
    link->request = *connect;
    link->request_end_ns = record->air.start_ns + record->air.duration_ns;
    link->request_was_auxiliary = record->air.channel < 37;
    link->channel_selection_2 = request->channel_selection_2 || link->request_was_auxiliary;
    link->interval_us = connect->interval * 1250u;
    link->latency = connect->latency;
    link->timeout = connect->timeout;
    memcpy(link->channel_map, connect->channel_map, sizeof link->channel_map);
    link->knows_map = true;
    link->knows_phys = true;
    link->dialogue.mtu_is_sure = true;
}

/* events */

static bool is_due(uint16_t instant, uint16_t counter)
{
    return (uint16_t)(counter - instant) < 0x8000;
}

/* The first (Vol 6 Part B 4.5.3): its anchor lies in a window behind the connect request. */
static uint64_t first_window_ns(const struct ys_air_link *link)
{
    uint64_t delay_ns = !link->request_was_auxiliary     ? UNIT_NS
                        : ys_phy_is_coded(link->phys[0]) ? 3 * UNIT_NS
                                                         : 2 * UNIT_NS;
    return link->request_end_ns + delay_ns + link->request.window_offset * UNIT_NS;
}

void ys_air_link_window(const struct ys_air_link *link, uint64_t *from_ns, uint64_t *to_ns)
{
    *from_ns = first_window_ns(link);
    *to_ns = *from_ns + link->request.window_size * UNIT_NS;
}

static void advance(struct ys_air_link *link, uint16_t events)
{
    link->unmapped = (uint8_t)((link->unmapped + (uint32_t)link->request.hop * events) % 37);
    link->counter = (uint16_t)(link->counter + events);
}

/* What holds from the current event on. */
static void reach_instants(struct ys_air_link *link)
{
    if (link->map.opcode != NONE && is_due(link->map.instant, link->counter)) {
        memcpy(link->channel_map, link->map.channel_map, sizeof link->channel_map);
        link->knows_map = true;
        link->map.opcode = NONE;
    }
    if (link->phy_update.opcode != NONE && is_due(link->phy_update.instant, link->counter)) {
        static const enum ys_phy phys[] = {[1] = YS_PHY_1M, [2] = YS_PHY_2M, [4] = YS_PHY_CODED_S8};
        const uint8_t bits[2] = {link->phy_update.send_phys, link->phy_update.receive_phys};
        for (int i = 0; i < 2; i++) {
            if (bits[i] == 1 || bits[i] == 2 || bits[i] == 4)
                link->phys[i] = phys[bits[i]];
        }
        link->phy_update.opcode = NONE;
    }
}

static void hold_update(struct ys_air_link *link)
{
    link->interval_us = link->update.interval * 1250u;
    link->latency = link->update.latency;
    link->timeout = link->update.timeout;
    link->update.opcode = NONE;
}

/* An update of parameters moves the anchors from its instant on. Returns whether the event at `start_ns` is that one or
 * later; then the link is there. */
static bool pass_update(struct ys_air_link *link, uint64_t start_ns)
{
    uint16_t ahead = (uint16_t)(link->update.instant - link->counter);
    if (link->update.opcode == NONE)
        return false;
    if (ahead == 0 || ahead >= 0x8000) { /* its instant lies in a gap: since when it holds is not known */
        hold_update(link);
        link->counted = false;
        return false;
    }
    uint64_t at_ns = link->anchor_ns + ahead * interval_ns(link) + link->update.window_offset * UNIT_NS;
    if (start_ns + slack_ns(at_ns - link->anchor_ns) < at_ns)
        return false;
    advance(link, ahead);
    hold_update(link);
    link->anchor_ns = at_ns;
    link->expected_ns = 0; /* anywhere in the window */
    if (start_ns > at_ns && interval_ns(link) > 0) {
        uint64_t later = (start_ns - at_ns + slack_ns(start_ns - at_ns)) / interval_ns(link);
        advance(link, (uint16_t)later);
        link->anchor_ns += later * interval_ns(link);
    }
    return true;
}

/* An interval that is not known is the time between two anchors in a row, once it was the same again. */
static void learn_interval(struct ys_air_link *link, uint64_t since_ns)
{
    uint32_t units = (uint32_t)((since_ns + UNIT_NS / 2) / UNIT_NS);
    uint64_t whole_ns = units * UNIT_NS;
    bool fits = units >= INTERVAL_LEAST && units <= INTERVAL_MOST &&
                (since_ns > whole_ns ? since_ns - whole_ns : whole_ns - since_ns) <= slack_ns(since_ns);
    if (!fits || link->candidate == 0 || units % link->candidate != 0) {
        link->candidate = fits ? units : 0;
        link->candidate_count = 0;
        return;
    }
    link->candidate_count = (uint8_t)(link->candidate_count + (units == link->candidate));
    if (link->candidate_count < LEARNT)
        return;
    link->interval_us = link->candidate * 1250u;
    link->candidate = 0;
}

/* Behind a hole another interval may hold, or the anchors may be elsewhere. Where the first packet of an event was
 * missed a later one comes first; none comes too early, unless that was so before. */
static bool has_left_its_anchors(const struct ys_air_link *link, uint64_t start_ns)
{
    uint64_t slack = slack_ns(link->since_ns);
    bool early = start_ns + slack < link->expected_ns;
    bool late = start_ns > link->expected_ns + slack + interval_ns(link) / 2;
    return (link->holes > 0 || !link->begun) && ((early && link->anchor_is_sure) || late);
}

static void pass_intervals(struct ys_air_link *link, uint64_t start_ns, bool lossy)
{
    uint64_t since_ns = start_ns - link->anchor_ns;
    link->expected_ns = 0;
    if (interval_ns(link) == 0) {
        link->counted = false;
        link->counter++;
        learn_interval(link, since_ns);
        return;
    }
    /* the last anchor may be late */
    bool perhaps_late = (lossy && !link->anchor_is_sure) || link->events == 1;
    uint64_t early_ns = perhaps_late ? interval_ns(link) / 2 : slack_ns(since_ns);
    uint64_t events = (since_ns + early_ns) / interval_ns(link);
    link->expected_ns = link->anchor_ns + events * interval_ns(link);
    link->since_ns = events * interval_ns(link);
    advance(link, (uint16_t)events);
    if (!has_left_its_anchors(link, start_ns))
        return;
    link->interval_us = 0;
    link->counted = false;
    link->expected_ns = 0;
    learn_interval(link, since_ns);
}

bool ys_air_link_channel(const struct ys_air_link *link, uint8_t *channel)
{
    if (!link->counted || !link->knows_map || ys_link_channel_count(link->channel_map) == 0)
        return false;
    if (link->channel_selection_2) {
        *channel = ys_link_event_channel(link->access_address, link->counter, link->channel_map);
        return true;
    }
    uint8_t unmapped = (uint8_t)((link->unmapped + 37u - link->request.hop) % 37);
    *channel = ys_link_next_channel(&unmapped, link->request.hop, link->channel_map);
    return true;
}

/* Behind a hole other channels may hold, or the counter may be another. */
static void doubt_channel(struct ys_air_link *link, const struct ys_record *record)
{
    uint8_t channel;
    if (link->holes == 0 || (record->known & YS_AIR_CHANNEL) == 0 || !ys_air_link_channel(link, &channel) ||
        channel == record->air.channel)
        return;
    link->knows_map = false;
    link->counted = false;
}

static void first_event(struct ys_air_link *link, uint64_t start_ns)
{
    link->anchored = true;
    link->expected_ns = 0;
    if (!link->begun)
        return;
    uint64_t window_ns = first_window_ns(link);
    uint64_t missed = start_ns + slack_ns(0) > window_ns && interval_ns(link) > 0
                          ? (start_ns + slack_ns(0) - window_ns) / interval_ns(link)
                          : 0;
    link->counted = true;
    advance(link, 1); /* of the algorithm with a memory the first event is one step from its beginning */
    link->counter = 0;
    advance(link, (uint16_t)missed);
}

/* Where the event has its anchor, which is its first packet, unless that was missed. */
static void set_anchor(struct ys_air_link *link, uint64_t start_ns, int side, bool lossy)
{
    uint64_t slack = slack_ns(link->since_ns);
    bool missed = side == 1 || (link->expected_ns != 0 && start_ns > link->expected_ns + slack);
    bool known = link->expected_ns != 0;
    if (lossy && missed && known) {
        link->anchor_ns = link->expected_ns;
        return;
    }
    link->anchor_is_sure = known ? link->anchor_is_sure && start_ns + slack >= link->expected_ns : !lossy && side == 0;
    link->anchor_ns = start_ns;
}

static void begin_event(struct ys_air_link *link, const struct ys_record *record, int side, bool lossy)
{
    const struct ys_air_packet *air = &record->air;
    if (!link->anchored)
        first_event(link, air->start_ns);
    else if (!pass_update(link, air->start_ns))
        pass_intervals(link, air->start_ns, lossy);
    reach_instants(link);
    set_anchor(link, air->start_ns, side, lossy);
    link->channel = air->channel;
    link->events++;
    doubt_channel(link, record);
}

static bool begins_event(const struct ys_air_link *link, const struct ys_record *record)
{
    uint64_t start_ns = record->air.start_ns;
    uint64_t since_ns = start_ns - link->anchor_ns;
    if (!link->anchored || ((record->known & YS_AIR_CHANNEL) != 0 && record->air.channel != link->channel))
        return true;
    if (start_ns < link->last_end_ns)
        return false;
    if (link->interval_us == 0)
        return start_ns - link->last_end_ns > 3 * UNIT_NS;
    /* on the same channel again, an interval later, and not the next packet of an exchange */
    uint64_t early_ns = link->anchor_is_sure ? slack_ns(since_ns) : UNIT_NS;
    return since_ns + early_ns >= interval_ns(link) &&
           start_ns - link->last_end_ns > YS_LINK_INTER_FRAME_SPACE_NS + 5 * US;
}

/* encryption */

static bool try_key(struct ys_air_link *link, const uint8_t key[16], const struct ys_link_seen *seen, uint8_t *payload)
{
    struct ys_opener *opener = ys_opener_new(key, link->diversifier, link->vector);
    enum ys_air_side side = seen->side == 0 ? YS_AIR_CENTRAL : YS_AIR_PERIPHERAL;
    if (opener == NULL)
        return false;
    if (ys_opener_open(opener, side, seen->data.kind, payload, seen->data.length, FIRST_FEW) >= 0) {
        link->opener = opener;
        return true;
    }
    ys_opener_free(opener);
    return false;
}

/* The short-term key of the older pairing, if all that makes it was heard. */
static bool find_old_key(struct ys_air_link *link, struct ys_keys *keys)
{
    struct ys_old_steps *old = &link->dialogue.old;
    uint8_t key[16];
    if (old->tried || old->got != 31 || link->parties[0] == NULL || link->parties[1] == NULL)
        return false;
    old->tried = true;
    struct ys_old_pairing pairing = {.initiator_type = link->parties[0]->address.type,
                                     .responder_type = link->parties[1]->address.type};
    memcpy(pairing.request, old->request, 7);
    memcpy(pairing.response, old->response, 7);
    memcpy(pairing.confirm, old->confirm, 16);
    memcpy(pairing.initiator_random, old->randoms[0], 16);
    memcpy(pairing.responder_random, old->randoms[1], 16);
    memcpy(pairing.initiator, link->parties[0]->address.bytes, 6);
    memcpy(pairing.responder, link->parties[1]->address.bytes, 6);
    uint8_t size = old->request[4] < old->response[4] ? old->request[4] : old->response[4];
    if (size < 7 || size > 16 || !ys_old_pairing_key(&pairing, size, key))
        return false;
    ys_keys_add(keys, key);
    return true;
}

static bool find_key(struct ys_air_link *link, struct ys_keys *keys, const struct ys_link_seen *seen, uint8_t *payload)
{
    const uint8_t *key;
    if (link->halves != 3 || link->unreadable > 0)
        return false;
    for (size_t i = 0; (key = ys_keys_newest(keys, i)) != NULL; i++) {
        if (try_key(link, key, seen, payload))
            return true;
    }
    return find_old_key(link, keys) && try_key(link, ys_keys_newest(keys, 0), seen, payload);
}

/* Whether bytes mean something as they stand; a piece that continues a frame cannot tell. */
static bool is_clear(const struct ys_link_data *data)
{
    struct ys_link_control_pdu control;
    const uint8_t *bytes = data->payload;
    if (data->kind == YS_LINK_CONTROL)
        return ys_link_control_is_known(bytes[0]) && ys_link_control_decode(bytes, data->length, &control);
    if (data->kind != YS_LINK_FIRST || data->length < 4)
        return data->kind != YS_LINK_FIRST;
    unsigned length = bytes[0] | (unsigned)bytes[1] << 8;
    bool fixed = bytes[2] >= YS_L2CAP_ATT && bytes[2] <= YS_L2CAP_SECURITY && bytes[3] == 0;
    bool dynamic = bytes[2] >= YS_L2CAP_DYNAMIC_FIRST && bytes[2] <= YS_L2CAP_DYNAMIC_LAST && bytes[3] == 0;
    return (fixed || dynamic) && length + 4 >= data->length && length <= FRAME_USUAL;
}

/* Encryption may have begun or ended in a hole: a frame that means something in clear, or with a key, shows which. */
static void resolve_encryption(struct ys_air_link *link, struct ys_keys *keys, uint8_t scratch[YS_LINK_PDU_MAX],
                               struct ys_link_seen *seen)
{
    bool clear = is_clear(&seen->data);
    if (!link->is_encrypted && !clear && link->halves == 3) {
        memcpy(scratch, seen->data.payload, seen->data.length);
        link->is_encrypted = find_key(link, keys, seen, scratch);
        if (link->is_encrypted) { /* and it is taken back, to be read as any other */
            ys_opener_free(link->opener);
            link->opener = NULL;
        }
    }
    if (link->is_encrypted && clear && seen->data.kind == YS_LINK_FIRST)
        link->is_encrypted = false;
    if (!link->is_encrypted && !clear) {
        seen->readable = YS_READ_NOT;
        link->unreadable++;
    }
    if (!link->is_encrypted && clear && seen->data.kind == YS_LINK_FIRST)
        link->encryption_unsure = false;
}

/* Reads the payload of a packet that is not a repeated one. */
static void decrypt(struct ys_air_link *link, struct ys_keys *keys, const struct ys_record *record,
                    uint8_t scratch[YS_LINK_PDU_MAX], struct ys_link_seen *seen)
{
    if (seen->data.length == 0 || (record->known & YS_AIR_PLAIN) != 0)
        return;
    if (link->encryption_unsure)
        resolve_encryption(link, keys, scratch, seen);
    if (!link->is_encrypted)
        return;
    memcpy(scratch, seen->data.payload, seen->data.length);
    seen->payload = scratch;
    bool open;
    if (link->opener != NULL) {
        enum ys_air_side side = seen->side == 0 ? YS_AIR_CENTRAL : YS_AIR_PERIPHERAL;
        int missing = ys_opener_open(link->opener, side, seen->data.kind, scratch, seen->data.length, AHEAD);
        open = missing >= 0;
        seen->gap = seen->gap || missing > 0;
        seen->mic_failed = !open;
    } else {
        open = find_key(link, keys, seen, scratch);
    }
    seen->readable = open ? YS_READ_DECRYPTED : YS_READ_NOT;
    link->encryption_unsure = link->encryption_unsure && !open;
    seen->length = open ? (uint8_t)(seen->data.length - YS_LINK_MIC_SIZE) : seen->data.length;
    link->unreadable += !open;
}

/* control */

static void take_encryption(struct ys_air_link *link, const struct ys_link_control_pdu *control, int side)
{
    if (control->opcode == YS_LINK_ENC_REQ || control->opcode == YS_LINK_ENC_RSP) {
        memcpy(link->diversifier + (size_t)side * 8, control->key_half, 8);
        memcpy(link->vector + (size_t)side * 4, control->vector_half, 4);
        link->halves = control->opcode == YS_LINK_ENC_REQ ? 1 : (uint8_t)(link->halves | 2);
        ys_opener_free(link->opener);
        link->opener = NULL;
        link->unreadable = 0;
    } else if (control->opcode == YS_LINK_START_ENC_REQ) {
        link->is_encrypted = true;
    } else if (control->opcode == YS_LINK_PAUSE_ENC_RSP) {
        link->pausing = side == 1; /* the central's, which ends it, is sent in clear */
        link->is_encrypted = side == 1 && link->is_encrypted;
    }
}

static void take_control(struct ys_air_link *link, const struct ys_link_control_pdu *control, int side)
{
    switch (control->opcode) {
    case YS_LINK_CONNECTION_UPDATE_IND:
        link->update = *control;
        break;
    case YS_LINK_CHANNEL_MAP_IND:
        link->map = *control;
        break;
    case YS_LINK_PHY_UPDATE_IND:
        if (control->send_phys != 0 || control->receive_phys != 0)
            link->phy_update = *control;
        break;
    case YS_LINK_LENGTH_REQ:
    case YS_LINK_LENGTH_RSP:
        link->ends[side].lengths = control->lengths;
        break;
    case YS_LINK_TERMINATE_IND:
        link->ended = true;
        break;
    default:
        take_encryption(link, control, side);
        break;
    }
}

/* packets */

static int side_of(const struct ys_air_link *link, const struct ys_air_packet *air, bool new_event)
{
    if (air->side != YS_AIR_SIDE_UNKNOWN)
        return air->side == YS_AIR_PERIPHERAL;
    return new_event ? 0 : !link->last_side;
}

/* Encryption begins behind a packet that may have been missed: the central's answer to it then is longer by a MIC. */
static void notice_encryption(struct ys_air_link *link, const struct ys_record *record, struct ys_link_seen *seen)
{
    if (seen->data.kind == YS_LINK_CONTROL && !link->is_encrypted && link->halves == 3 && seen->side == 0 &&
        seen->data.length == 1 + YS_LINK_MIC_SIZE && (record->known & YS_AIR_PLAIN) == 0) {
        link->is_encrypted = true;
        seen->gap = true;
    }
    if (link->pausing && seen->side == 0 && seen->data.kind == YS_LINK_CONTROL && seen->data.length == 1) {
        link->pausing = false; /* which is the end of the pause's beginning */
        link->is_encrypted = false;
    }
}

static void take_payload(struct ys_air_link *link, const struct ys_record *record, struct ys_link_seen *seen)
{
    if (seen->gap && !seen->hole) /* by its key */
        ys_dialogue_hole(&link->dialogue);
    if (seen->readable == YS_READ_NOT || seen->length == 0)
        return;
    if (seen->data.kind == YS_LINK_CONTROL) {
        seen->is_control = true;
        seen->control_good = ys_link_control_decode(seen->payload, seen->length, &seen->control);
        if (seen->control_good)
            take_control(link, &seen->control, seen->side);
        return;
    }
    const struct ys_piece piece = {.side = seen->side,
                                   .first = seen->data.kind == YS_LINK_FIRST,
                                   .bytes = seen->payload,
                                   .length = seen->length,
                                   .at_ns = record->at_ns,
                                   .record = record->number};
    ys_dialogue_take(&link->dialogue, &piece, &seen->said);
}

/* Nothing is known of a packet yet but where it stands. */
static void begin_seen(struct ys_air_link *link, const struct ys_record *record, struct ys_link_seen *seen, bool lossy)
{
    const struct ys_air_packet *air = &record->air;
    seen->new_event = begins_event(link, record);
    seen->side = side_of(link, air, seen->new_event);
    seen->anchor_is_sure = link->anchor_is_sure;
    if (seen->new_event)
        begin_event(link, record, seen->side, lossy);
    seen->anchor_is_sure = seen->anchor_is_sure && link->anchor_is_sure;
    seen->side_is_sure = air->side != YS_AIR_SIDE_UNKNOWN;
    seen->counter = link->counter;
    seen->counted = link->counted;
    seen->repeated = false;
    seen->gap = false;
    seen->apart = false;
    seen->hole = false;
    seen->readable = YS_READ_CLEAR;
    seen->mic_failed = false;
    seen->is_control = false;
    seen->control_good = false;
    seen->said.upper = YS_UPPER_NONE;
    seen->said.stray = false;
    seen->said.unfinished = false;
    seen->said.overrun = false;
    seen->said.value = NULL;
    seen->said.handle = 0;
    seen->ends_before[0] = link->ends[0];
    seen->ends_before[1] = link->ends[1];
}

/* What its side has sent last. */
static void note_end(struct ys_link_end *end, const struct ys_record *record, const struct ys_link_seen *seen)
{
    *end = (struct ys_link_end){.any = true,
                                .sequence = seen->data.sequence,
                                .next_expected = seen->data.next_expected,
                                .more = seen->data.more,
                                .kind = seen->data.kind,
                                .length = seen->data.length,
                                .hash = seen->hash,
                                .start_ns = record->air.start_ns,
                                .end_ns = record->air.start_ns + record->air.duration_ns,
                                .record = record->number,
                                .phy = record->air.phy,
                                .lengths = end->lengths};
}

void ys_air_link_take(struct ys_air_link *link, const struct ys_record *record, struct ys_keys *keys,
                      uint8_t scratch[YS_LINK_PDU_MAX], struct ys_link_seen *seen, bool *lossy)
{
    const struct ys_air_packet *air = &record->air;
    const struct ys_link_before before = {.anchored = link->anchored,
                                          .counter = link->counter,
                                          .last_end_ns = link->last_end_ns,
                                          .last_side = link->last_side,
                                          .paced = link->interval_us != 0};
    begin_seen(link, record, seen, *lossy);
    link->last_end_ns = air->start_ns + air->duration_ns;
    link->last_side = seen->side;
    seen->good = ys_link_data_decode(air->pdu, air->length, &seen->data);
    seen->payload = seen->data.payload;
    seen->length = seen->data.length;
    if (!seen->good)
        return;
    struct ys_link_end *end = &link->ends[seen->side];
    seen->hash = ys_hash(seen->data.payload, seen->data.length);
    bool same = end->any && end->length == seen->data.length && end->kind == seen->data.kind && end->hash == seen->hash;
    seen->repeated = end->any && end->sequence == seen->data.sequence && same;
    seen->gap = end->any && end->sequence == seen->data.sequence && !same;
    ys_holes_note(link, &before, record, seen, lossy);
    note_end(end, record, seen);
    if (seen->repeated)
        return;
    notice_encryption(link, record, seen);
    decrypt(link, keys, record, scratch, seen);
    take_payload(link, record, seen);
}
