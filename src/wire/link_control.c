/* Control PDUs of the link layer: a row for each says which fields it has, in their order. */
#include "wire/link_control.h"

enum field {
    END,
    CODE,
    REFUSED,
    KEY_NAME,
    HALVES,
    FEATURES,
    VERSION,
    WINDOW,
    INTERVAL_MIN,
    PARAMETERS,
    OFFSETS,
    MAP,
    LENGTHS,
    PHYS,
    CHANNELS,
    INSTANT
};

#define FIELDS_MAX 4

static const uint8_t rows[][FIELDS_MAX] = {
    [YS_LINK_CONNECTION_UPDATE_IND] = {WINDOW, PARAMETERS, INSTANT},
    [YS_LINK_CHANNEL_MAP_IND] = {MAP, INSTANT},
    [YS_LINK_TERMINATE_IND] = {CODE},
    [YS_LINK_ENC_REQ] = {KEY_NAME, HALVES},
    [YS_LINK_ENC_RSP] = {HALVES},
    [YS_LINK_START_ENC_REQ] = {END},
    [YS_LINK_START_ENC_RSP] = {END},
    [YS_LINK_UNKNOWN_RSP] = {CODE},
    [YS_LINK_FEATURE_REQ] = {FEATURES},
    [YS_LINK_FEATURE_RSP] = {FEATURES},
    [YS_LINK_PAUSE_ENC_REQ] = {END},
    [YS_LINK_PAUSE_ENC_RSP] = {END},
    [YS_LINK_VERSION_IND] = {VERSION},
    [YS_LINK_REJECT_IND] = {CODE},
    [YS_LINK_PERIPHERAL_FEATURE_REQ] = {FEATURES},
    [YS_LINK_CONNECTION_PARAM_REQ] = {INTERVAL_MIN, PARAMETERS, OFFSETS},
    [YS_LINK_CONNECTION_PARAM_RSP] = {INTERVAL_MIN, PARAMETERS, OFFSETS},
    [YS_LINK_REJECT_EXT_IND] = {REFUSED, CODE},
    [YS_LINK_PING_REQ] = {END},
    [YS_LINK_PING_RSP] = {END},
    [YS_LINK_LENGTH_REQ] = {LENGTHS},
    [YS_LINK_LENGTH_RSP] = {LENGTHS},
    [YS_LINK_PHY_REQ] = {PHYS},
    [YS_LINK_PHY_RSP] = {PHYS},
    [YS_LINK_PHY_UPDATE_IND] = {PHYS, INSTANT},
    [YS_LINK_CHANNELS_LEAST_IND] = {CHANNELS},
};

bool ys_link_control_is_known(uint8_t opcode)
{
    return opcode < sizeof rows / sizeof rows[0];
}

static void get_lengths(struct ys_reader *reader, struct ys_link_lengths *lengths)
{
    lengths->receive_octets = ys_get_u16(reader);
    lengths->receive_us = ys_get_u16(reader);
    lengths->send_octets = ys_get_u16(reader);
    lengths->send_us = ys_get_u16(reader);
}

static void put_lengths(struct ys_writer *writer, const struct ys_link_lengths *lengths)
{
    ys_put_u16(writer, lengths->receive_octets);
    ys_put_u16(writer, lengths->receive_us);
    ys_put_u16(writer, lengths->send_octets);
    ys_put_u16(writer, lengths->send_us);
}

static void get_offsets(struct ys_reader *reader, struct ys_link_control_pdu *pdu)
{
    pdu->periodicity = ys_get_u8(reader);
    pdu->reference = ys_get_u16(reader);
    /*@ loop assigns i, *reader, pdu->offsets[0 .. 5]; loop invariant i <= 6 && on{Pre, Here}(reader); */
    for (size_t i = 0; i < sizeof pdu->offsets / sizeof pdu->offsets[0]; i++)
        pdu->offsets[i] = ys_get_u16(reader);
}

static void put_offsets(struct ys_writer *writer, const struct ys_link_control_pdu *pdu)
{
    ys_put_u8(writer, pdu->periodicity);
    ys_put_u16(writer, pdu->reference);
    for (size_t i = 0; i < sizeof pdu->offsets / sizeof pdu->offsets[0]; i++)
        ys_put_u16(writer, pdu->offsets[i]);
}

static void get_field(struct ys_reader *reader, uint8_t field, struct ys_link_control_pdu *pdu)
{
    switch (field) {
    case CODE:
        pdu->code = ys_get_u8(reader);
        break;
    case REFUSED:
        pdu->refused = ys_get_u8(reader);
        break;
    case KEY_NAME:
        ys_get_copy(reader, pdu->random, sizeof pdu->random);
        pdu->diversifier = ys_get_u16(reader);
        break;
    case HALVES:
        ys_get_copy(reader, pdu->key_half, sizeof pdu->key_half);
        ys_get_copy(reader, pdu->vector_half, sizeof pdu->vector_half);
        break;
    case FEATURES:
        pdu->features = ys_get_u64(reader);
        break;
    case VERSION:
        pdu->version = ys_get_u8(reader);
        pdu->company = ys_get_u16(reader);
        pdu->subversion = ys_get_u16(reader);
        break;
    case WINDOW:
        pdu->window_size = ys_get_u8(reader);
        pdu->window_offset = ys_get_u16(reader);
        break;
    case INTERVAL_MIN:
        pdu->interval_min = ys_get_u16(reader);
        break;
    case PARAMETERS:
        pdu->interval = ys_get_u16(reader);
        pdu->latency = ys_get_u16(reader);
        pdu->timeout = ys_get_u16(reader);
        break;
    case OFFSETS:
        get_offsets(reader, pdu);
        break;
    case MAP:
        ys_get_copy(reader, pdu->channel_map, sizeof pdu->channel_map);
        break;
    case LENGTHS:
        get_lengths(reader, &pdu->lengths);
        break;
    case PHYS:
        pdu->send_phys = ys_get_u8(reader);
        pdu->receive_phys = ys_get_u8(reader);
        break;
    case CHANNELS:
        pdu->send_phys = ys_get_u8(reader);
        pdu->channels_least = ys_get_u8(reader);
        break;
    default:
        pdu->instant = ys_get_u16(reader);
        break;
    }
}

static void put_field(struct ys_writer *writer, uint8_t field, const struct ys_link_control_pdu *pdu)
{
    switch (field) {
    case CODE:
        ys_put_u8(writer, pdu->code);
        break;
    case REFUSED:
        ys_put_u8(writer, pdu->refused);
        break;
    case KEY_NAME:
        ys_put_bytes(writer, pdu->random, sizeof pdu->random);
        ys_put_u16(writer, pdu->diversifier);
        break;
    case HALVES:
        ys_put_bytes(writer, pdu->key_half, sizeof pdu->key_half);
        ys_put_bytes(writer, pdu->vector_half, sizeof pdu->vector_half);
        break;
    case FEATURES:
        ys_put_u64(writer, pdu->features);
        break;
    case VERSION:
        ys_put_u8(writer, pdu->version);
        ys_put_u16(writer, pdu->company);
        ys_put_u16(writer, pdu->subversion);
        break;
    case WINDOW:
        ys_put_u8(writer, pdu->window_size);
        ys_put_u16(writer, pdu->window_offset);
        break;
    case INTERVAL_MIN:
        ys_put_u16(writer, pdu->interval_min);
        break;
    case PARAMETERS:
        ys_put_u16(writer, pdu->interval);
        ys_put_u16(writer, pdu->latency);
        ys_put_u16(writer, pdu->timeout);
        break;
    case OFFSETS:
        put_offsets(writer, pdu);
        break;
    case MAP:
        ys_put_bytes(writer, pdu->channel_map, sizeof pdu->channel_map);
        break;
    case LENGTHS:
        put_lengths(writer, &pdu->lengths);
        break;
    case PHYS:
        ys_put_u8(writer, pdu->send_phys);
        ys_put_u8(writer, pdu->receive_phys);
        break;
    case CHANNELS:
        ys_put_u8(writer, pdu->send_phys);
        ys_put_u8(writer, pdu->channels_least);
        break;
    default:
        ys_put_u16(writer, pdu->instant);
        break;
    }
}

static void begin(struct ys_link_control_pdu *pdu, uint8_t opcode)
{
    *pdu = (struct ys_link_control_pdu){.opcode = opcode};
}

static void get_fields(struct ys_reader *reader, const uint8_t row[FIELDS_MAX], struct ys_link_control_pdu *pdu)
{
    /*@ loop assigns i, *reader, *pdu; loop invariant i <= FIELDS_MAX && on{Pre, Here}(reader); */
    for (size_t i = 0; i < FIELDS_MAX && row[i] != END; i++)
        get_field(reader, row[i], pdu);
}

/* Vol 6 Part B 2.4.2. */
bool ys_link_control_decode(const uint8_t *bytes, size_t length, struct ys_link_control_pdu *pdu)
{
    struct ys_reader reader = ys_reader_of(bytes, length);
    uint8_t opcode = ys_get_u8(&reader);
    begin(pdu, opcode);
    if (!ys_reader_ok(&reader) || !ys_link_control_is_known(opcode))
        return ys_reader_ok(&reader);
    get_fields(&reader, rows[opcode], pdu);
    return ys_reader_done(&reader);
}

/* Vol 6 Part B 2.4.2. */
void ys_put_link_control(struct ys_writer *writer, const struct ys_link_control_pdu *pdu)
{
    ys_put_u8(writer, pdu->opcode);
    if (!ys_link_control_is_known(pdu->opcode))
        return;
    const uint8_t *row = rows[pdu->opcode];
    for (size_t i = 0; i < FIELDS_MAX && row[i] != END; i++)
        put_field(writer, row[i], pdu);
}
