/* A connection as it is seen on the air, packet by packet. */
#include "capture/follow/air_link.h"

#include <string.h>

#include "capture/follow/hash.h"
#include "capture/follow/holes.h"
#include "capture/follow/pacing.h"
#include "wire/link_control.h"

#define US          UINT64_C(1000)
#define NONE        0xff
#define FRAME_USUAL 2048 /* longer ones are not believed to be in clear */
#define AHEAD       64   /* packets that can be missing in a row and their key be found again */
#define FIRST_FEW   4    /* the same, while it is not known which key it is */

void ys_air_link_clear(struct ys_air_link *link)
{
    ys_opener_free(link->opener);
    ys_dialogue_clear(&link->dialogue);
    *link = (struct ys_air_link){.access_address = 0};
}

void ys_air_link_join(struct ys_air_link *link, const struct ys_record *record)
{
    *link = (struct ys_air_link){.access_address = record->air.access_address,
                                 .first_record = record->number,
                                 .first_ns = record->at_ns,
                                 .dialogue = {.mtu = YS_ATT_MTU_DEFAULT}};
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
    link->knows_map = ys_link_channel_count(link->channel_map) > 0;
    link->knows_phys = true;
    link->dialogue.mtu_is_sure = true;
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

/* Encryption begins after a packet that may have been missed: the central's answer to it then is longer by a MIC. */
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
    uint8_t length = seen->readable == YS_READ_NOT && seen->length > YS_LINK_MIC_SIZE
                         ? (uint8_t)(seen->length - YS_LINK_MIC_SIZE)
                         : seen->length;
    if (length > link->longest[seen->side])
        link->longest[seen->side] = length;
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

/* Only the place of a packet is known so far. */
static void begin_seen(struct ys_air_link *link, const struct ys_record *record, struct ys_link_seen *seen,
                       struct ys_recorder *recorder)
{
    const struct ys_air_packet *air = &record->air;
    seen->new_event = ys_pacing_begins_event(link, record);
    seen->side = side_of(link, air, seen->new_event);
    seen->anchor_is_sure = link->anchor_is_sure;
    if (seen->new_event)
        ys_pacing_begin_event(link, record, seen->side, recorder);
    else
        ys_pacing_answer(link);
    seen->anchor_is_sure = seen->anchor_is_sure && link->anchor_is_sure;
    link->packets++;
    link->sides_are_said = air->side != YS_AIR_SIDE_UNKNOWN;
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
                      uint8_t scratch[YS_LINK_PDU_MAX], struct ys_link_seen *seen, struct ys_recorder *recorder)
{
    const struct ys_air_packet *air = &record->air;
    link->step_ns = recorder->step_ns;
    const struct ys_link_before before = {.anchored = link->anchored,
                                          .counter = link->counter,
                                          .last_end_ns = link->last_end_ns,
                                          .last_side = link->last_side,
                                          .paced = link->interval_us != 0};
    begin_seen(link, record, seen, recorder);
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
    ys_holes_note(link, &before, record, seen, &recorder->lossy);
    note_end(end, record, seen);
    if (!link->knows_phys && (record->known & YS_AIR_PHY) != 0)
        link->phys[seen->side] = air->phy;
    if (seen->repeated)
        return;
    notice_encryption(link, record, seen);
    decrypt(link, keys, record, scratch, seen);
    take_payload(link, record, seen);
}
