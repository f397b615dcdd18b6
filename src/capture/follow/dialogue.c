/* What two devices say to each other. */
#include "capture/follow/dialogue.h"

#include <stdlib.h>
#include <string.h>

#include "capture/follow/hash.h"

#define FRAME_MOST (YS_L2CAP_HEADER_SIZE + 65535u)

void ys_dialogue_clear(struct ys_dialogue *dialogue)
{
    free(dialogue->speakers[0].frame);
    free(dialogue->speakers[1].frame);
}

uint16_t ys_dialogue_mtu(const struct ys_dialogue *dialogue)
{
    bool is_longer = !dialogue->mtu_is_sure && dialogue->longest_att > dialogue->mtu;
    return is_longer ? dialogue->longest_att : dialogue->mtu;
}

void ys_dialogue_hole(struct ys_dialogue *dialogue)
{
    for (int side = 0; side < 2; side++) {
        struct ys_speaker *speaker = &dialogue->speakers[side];
        speaker->expected = 0;
        speaker->length = 0;
        speaker->asked_count = 0;
        speaker->asked_passed = 0;
        speaker->indicated.waits = false;
        speaker->mtu = dialogue->mtu_is_agreed ? speaker->mtu : 0;
    }
    dialogue->mtu_is_sure = dialogue->mtu_is_agreed;
    dialogue->old = (struct ys_old_steps){.got = 0};
}

/* frames */

static bool make_room(struct ys_speaker *speaker, size_t length)
{
    if (length <= speaker->capacity)
        return true;
    size_t capacity = length < 600 ? 600 : length;
    uint8_t *grown = realloc(speaker->frame, capacity);
    if (grown == NULL)
        return false;
    speaker->frame = grown;
    speaker->capacity = capacity;
    return true;
}

static size_t expected_of(const struct ys_speaker *speaker)
{
    return speaker->length >= 2 ? YS_L2CAP_HEADER_SIZE + (size_t)(speaker->frame[0] | speaker->frame[1] << 8)
                                : YS_L2CAP_HEADER_SIZE;
}

/* Adds a piece; returns whether the frame is whole. */
static bool add_piece(struct ys_speaker *speaker, const struct ys_piece *piece, struct ys_said *said)
{
    if (piece->first) {
        said->unfinished = speaker->expected != 0;
        speaker->length = 0;
        speaker->expected = YS_L2CAP_HEADER_SIZE;
    } else if (speaker->expected == 0) {
        said->stray = true;
        return false;
    }
    size_t length = speaker->length + piece->length;
    if (length > FRAME_MOST || !make_room(speaker, length)) {
        said->overrun = true;
        speaker->expected = 0;
        return false;
    }
    memcpy(speaker->frame + speaker->length, piece->bytes, piece->length);
    speaker->length = length;
    speaker->expected = expected_of(speaker);
    said->overrun = speaker->length > speaker->expected;
    if (speaker->length < speaker->expected)
        return false;
    said->length = speaker->expected - YS_L2CAP_HEADER_SIZE;
    speaker->expected = 0;
    return true;
}

/* the attribute protocol */

static void note_service(struct ys_party *server, uint16_t handle, uint16_t last, const uint8_t *uuid, size_t length)
{
    ys_party_tell(server,
                  &(struct ys_told){
                      .handle = handle, .last = last, .kind = YS_TOLD_SERVICE, .uuid = ys_uuid_from_air(uuid, length)});
}

/* Entries of equal length: handle, last handle, UUID. */
static void learn_services(struct ys_party *server, const struct ys_att_pdu *att)
{
    for (size_t at = 0; att->format > 4 && at + att->format <= att->length; at += att->format) {
        const uint8_t *entry = att->value + at;
        note_service(server, (uint16_t)(entry[0] | entry[1] << 8), (uint16_t)(entry[2] | entry[3] << 8), entry + 4,
                     att->format - 4u);
    }
}

/* Entries of equal length: handle, properties, handle of the value, UUID. */
static void learn_characteristics(struct ys_party *server, const struct ys_att_pdu *att)
{
    for (size_t at = 0; att->format > 5 && at + att->format <= att->length; at += att->format) {
        const uint8_t *entry = att->value + at;
        ys_party_tell(server, &(struct ys_told){.handle = (uint16_t)(entry[3] | entry[4] << 8),
                                                .kind = YS_TOLD_CHARACTERISTIC,
                                                .properties = entry[2],
                                                .uuid = ys_uuid_from_air(entry + 5, att->format - 5u)});
    }
}

static void learn_descriptors(struct ys_party *server, const struct ys_att_pdu *att)
{
    size_t uuid = att->format == YS_ATT_FORMAT_UUID_16 ? 2 : 16;
    for (size_t at = 0; at + 2 + uuid <= att->length; at += 2 + uuid) {
        const uint8_t *entry = att->value + at;
        const struct ys_uuid type = ys_uuid_from_air(entry + 2, uuid);
        uint32_t number = ys_uuid_number(&type);
        if (number < 0x2800 || number > 0x2803) /* no declarations, which are told of otherwise */
            ys_party_tell(server, &(struct ys_told){.handle = (uint16_t)(entry[0] | entry[1] << 8),
                                                    .kind = YS_TOLD_DESCRIPTOR,
                                                    .uuid = type});
    }
}

/* Found by the value of its declaration: pairs of handles. */
static void learn_found(struct ys_party *server, const struct ys_att_pdu *att, const struct ys_asked *question)
{
    for (size_t at = 0; at + 4 <= att->length; at += 4) {
        const uint8_t *entry = att->value + at;
        uint8_t uuid[16];
        struct ys_uuid sought = question->type;
        memcpy(uuid, sought.bytes, sizeof uuid);
        if (sought.length > 0)
            note_service(server, (uint16_t)(entry[0] | entry[1] << 8), (uint16_t)(entry[2] | entry[3] << 8), uuid,
                         sought.length);
    }
}

static void learn(struct ys_party *server, const struct ys_att_pdu *att, const struct ys_asked *question)
{
    uint32_t type = ys_uuid_number(&question->type);
    if (server == NULL)
        return;
    if (att->opcode == YS_ATT_READ_BY_GROUP_TYPE_RESPONSE && (type == 0x2800 || type == 0x2801))
        learn_services(server, att);
    else if (att->opcode == YS_ATT_READ_BY_TYPE_RESPONSE && type == 0x2803)
        learn_characteristics(server, att);
    else if (att->opcode == YS_ATT_FIND_INFORMATION_RESPONSE)
        learn_descriptors(server, att);
    else if (att->opcode == YS_ATT_FIND_BY_TYPE_VALUE_RESPONSE)
        learn_found(server, att, question);
}

static void forget_asked(struct ys_speaker *asker, size_t count)
{
    asker->asked_count -= count;
    memmove(asker->asked, asker->asked + count, asker->asked_count * sizeof *asker->asked);
}

/* One more that waits. Those that a later one was answered before were answered unheard; of too many the oldest is
 * forgotten. */
static void push_asked(struct ys_speaker *asker, const struct ys_asked *asked)
{
    forget_asked(asker, asker->asked_passed);
    asker->asked_passed = 0;
    if (asker->asked_count == YS_ASKED_MOST)
        forget_asked(asker, 1);
    asker->asked[asker->asked_count++] = *asked;
}

static void ask(struct ys_speaker *asker, const struct ys_att_pdu *att, const struct ys_piece *piece)
{
    struct ys_asked asked = {.waits = true,
                             .opcode = att->opcode,
                             .handle = att->handle != 0 ? att->handle : att->first,
                             .last = att->last,
                             .offset = att->offset,
                             .hash = ys_hash(att->value, att->length),
                             .type = att->type,
                             .at_ns = piece->at_ns,
                             .record = piece->record};
    /* a service that is looked for by its UUID is the value */
    if (att->opcode == YS_ATT_FIND_BY_TYPE_VALUE_REQUEST)
        asked.type = ys_uuid_from_air(att->value, att->length);
    push_asked(asker, &asked);
}

/* The oldest that may still be answered. */
static struct ys_asked oldest_asked(const struct ys_speaker *asker)
{
    bool any = asker->asked_count > asker->asked_passed;
    return any ? asker->asked[asker->asked_passed] : (struct ys_asked){.waits = false};
}

static bool answers(const struct ys_att_pdu *att, const struct ys_asked *asked)
{
    return att->opcode == YS_ATT_ERROR_RESPONSE ? att->request == asked->opcode
                                                : att->opcode == ys_att_response_to(asked->opcode);
}

/* The request of an answer: the newest one that it fits, or, if it fits none, the newest. */
static struct ys_asked take_asked(struct ys_speaker *asker, const struct ys_att_pdu *att)
{
    size_t taken = asker->asked_count;
    if (taken == 0)
        return (struct ys_asked){.waits = false};
    for (size_t i = asker->asked_count; i-- > 0;) {
        const struct ys_asked *asked = &asker->asked[i];
        bool names_it = att->opcode != YS_ATT_ERROR_RESPONSE || att->handle == asked->handle;
        if (!answers(att, asked) || (taken < asker->asked_count && !names_it))
            continue;
        taken = i;
        if (names_it)
            break;
    }
    taken = taken < asker->asked_count ? taken : asker->asked_count - 1;
    struct ys_asked asked = asker->asked[taken];
    asker->asked_count--;
    memmove(asker->asked + taken, asker->asked + taken + 1, (asker->asked_count - taken) * sizeof *asker->asked);
    asker->asked_passed = taken;
    return asked;
}

static void set_value(struct ys_said *said, uint16_t handle, uint16_t offset)
{
    said->handle = handle;
    said->offset = offset;
    said->value = said->att.value;
    said->value_length = said->att.length;
}

/* Which value an answer holds, by what was asked. */
static void match_answer(struct ys_said *said)
{
    const struct ys_asked *question = &said->question;
    switch (said->att.opcode) {
    case YS_ATT_READ_RESPONSE:
    case YS_ATT_READ_BLOB_RESPONSE:
        if (question->opcode == YS_ATT_READ_REQUEST || question->opcode == YS_ATT_READ_BLOB_REQUEST)
            set_value(said, question->handle, question->offset);
        break;
    case YS_ATT_WRITE_RESPONSE:
        said->handle = question->handle;
        break;
    case YS_ATT_READ_BY_TYPE_RESPONSE:
        /* one value, read by its type */
        if (said->att.format >= 2 && said->att.length == said->att.format &&
            ys_uuid_number(&question->type) != 0x2803) {
            said->handle = (uint16_t)(said->att.value[0] | said->att.value[1] << 8);
            said->value = said->att.value + 2;
            said->value_length = said->att.length - 2;
        }
        break;
    case YS_ATT_ERROR_RESPONSE:
        said->handle = said->att.handle;
        break;
    default:
        break;
    }
}

static bool carries_value(uint8_t opcode)
{
    return opcode == YS_ATT_NOTIFICATION || opcode == YS_ATT_INDICATION || opcode == YS_ATT_WRITE_REQUEST ||
           opcode == YS_ATT_WRITE_COMMAND || opcode == YS_ATT_SIGNED_WRITE_COMMAND ||
           opcode == YS_ATT_PREPARE_WRITE_REQUEST || opcode == YS_ATT_PREPARE_WRITE_RESPONSE;
}

static bool is_answer(uint8_t opcode)
{
    return opcode == YS_ATT_ERROR_RESPONSE || (opcode <= YS_ATT_READ_VARIABLE_RESPONSE && (opcode & 1) != 0 &&
                                               opcode != YS_ATT_NOTIFICATION && opcode != YS_ATT_INDICATION);
}

static void agree_mtu(struct ys_dialogue *dialogue)
{
    uint16_t least =
        dialogue->speakers[0].mtu < dialogue->speakers[1].mtu ? dialogue->speakers[0].mtu : dialogue->speakers[1].mtu;
    if (least == 0)
        return;
    dialogue->mtu = least < YS_ATT_MTU_DEFAULT ? YS_ATT_MTU_DEFAULT : least;
    dialogue->mtu_is_sure = true;
    dialogue->mtu_is_agreed = true;
}

/* A malformed or unknown PDU is answered by an error, unless it is a command or a response itself (Vol 3 Part F
 * 3.3.1). */
static void note_odd(struct ys_speaker *speaker, const struct ys_said *said, const struct ys_piece *piece)
{
    uint8_t opcode = said->length > 0 ? said->frame[0] : YS_ATT_COMMAND_FLAG;
    if ((opcode & YS_ATT_COMMAND_FLAG) == 0 && !is_answer(opcode) && opcode != YS_ATT_NOTIFICATION &&
        opcode != YS_ATT_INDICATION && opcode != YS_ATT_CONFIRMATION && opcode != YS_ATT_NOTIFICATIONS)
        push_asked(speaker,
                   &(struct ys_asked){.waits = true, .opcode = opcode, .at_ns = piece->at_ns, .record = piece->record});
}

static void take_att(struct ys_dialogue *dialogue, const struct ys_piece *piece, struct ys_said *said)
{
    struct ys_speaker *speaker = &dialogue->speakers[piece->side];
    struct ys_speaker *other = &dialogue->speakers[!piece->side];
    const struct ys_att_pdu *att = &said->att;
    said->upper = YS_UPPER_ATT;
    if (said->length > dialogue->longest_att)
        dialogue->longest_att = (uint16_t)said->length;
    said->verdict = said->length > 0 ? (int)ys_att_decode(said->frame, said->length, &said->att) : YS_ATT_MALFORMED;
    if (said->verdict != YS_ATT_GOOD) {
        note_odd(speaker, said, piece);
        return;
    }
    bool served = is_answer(att->opcode) || att->opcode == YS_ATT_NOTIFICATION || att->opcode == YS_ATT_INDICATION ||
                  att->opcode == YS_ATT_NOTIFICATIONS;
    said->server = served ? speaker->party : other->party;
    if (att->opcode == YS_ATT_MTU_REQUEST || att->opcode == YS_ATT_MTU_RESPONSE)
        speaker->mtu = att->mtu;
    if (carries_value(att->opcode)) {
        set_value(said, att->handle, att->offset);
    } else if (ys_att_response_to(att->opcode) != 0 && att->handle != 0) {
        said->handle = att->handle;
        said->offset = att->offset;
    }
    if (att->opcode == YS_ATT_CONFIRMATION) {
        said->question = other->indicated;
        other->indicated.waits = false;
    } else if (is_answer(att->opcode)) {
        said->question = take_asked(other, att);
        match_answer(said);
        learn(said->server, att, &said->question);
    } else if (att->opcode == YS_ATT_INDICATION) {
        said->replaced = speaker->indicated;
        speaker->indicated = (struct ys_asked){.waits = true,
                                               .opcode = att->opcode,
                                               .handle = att->handle,
                                               .at_ns = piece->at_ns,
                                               .record = piece->record};
    } else if (ys_att_response_to(att->opcode) != 0) {
        said->replaced = oldest_asked(speaker);
        ask(speaker, att, piece);
    }
    if (att->opcode == YS_ATT_MTU_RESPONSE)
        agree_mtu(dialogue);
}

/* pairing */

static void keep(struct ys_old_steps *old, uint8_t bit, uint8_t *to, const uint8_t *from, size_t length)
{
    memcpy(to, from, length);
    old->got |= bit;
}

/* The messages from which the keys of legacy pairing can be derived. */
static void note_pairing(struct ys_old_steps *old, int side, const uint8_t *bytes, size_t length)
{
    switch (bytes[0]) {
    case YS_SMP_PAIRING_REQUEST:
        *old = (struct ys_old_steps){.got = 0};
        if (length == sizeof old->request)
            keep(old, 1, old->request, bytes, length);
        break;
    case YS_SMP_PAIRING_RESPONSE:
        if (length == sizeof old->response)
            keep(old, 2, old->response, bytes, length);
        break;
    case YS_SMP_PAIRING_CONFIRM:
        if (length == 17 && side == 0)
            keep(old, 4, old->confirm, bytes + 1, 16);
        break;
    case YS_SMP_PAIRING_RANDOM:
        if (length == 17)
            keep(old, side == 0 ? 8 : 16, old->randoms[side], bytes + 1, 16);
        break;
    default:
        break;
    }
}

static void take_security(struct ys_dialogue *dialogue, const struct ys_piece *piece, struct ys_said *said)
{
    said->upper = YS_UPPER_SECURITY;
    said->verdict = ys_smp_decode(said->frame, said->length, &said->smp);
    if (said->length > 0)
        note_pairing(&dialogue->old, piece->side, said->frame, said->length);
}

static void take_signal(struct ys_said *said)
{
    struct ys_reader reader = ys_reader_of(said->frame, said->length);
    said->upper = YS_UPPER_SIGNALLING;
    ys_get_l2cap_signal(&reader, &said->signal);
    said->verdict =
        ys_reader_ok(&reader) && said->signal.length == ys_reader_left(&reader) ? YS_ATT_GOOD : YS_ATT_MALFORMED;
}

void ys_dialogue_take(struct ys_dialogue *dialogue, const struct ys_piece *piece, struct ys_said *said)
{
    struct ys_speaker *speaker = &dialogue->speakers[piece->side];
    *said = (struct ys_said){.upper = YS_UPPER_NONE};
    if (!add_piece(speaker, piece, said))
        return;
    said->frame = speaker->frame + YS_L2CAP_HEADER_SIZE;
    said->channel = (uint16_t)(speaker->frame[2] | speaker->frame[3] << 8);
    if (said->channel == YS_L2CAP_ATT)
        take_att(dialogue, piece, said);
    else if (said->channel == YS_L2CAP_SECURITY)
        take_security(dialogue, piece, said);
    else if (said->channel == YS_L2CAP_SIGNALLING)
        take_signal(said);
    else
        said->upper = YS_UPPER_OTHER;
}
