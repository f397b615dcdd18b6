/* PDUs of the link layer, their CRC and their time on the air. */
#include "wire/link.h"

#define ADDRESS_SIZE 6
#define CONNECT_SIZE 34
#define CHANNELS     37

/* Vol 6 Part B 2.3.3. */
static void get_connect(struct ys_reader *reader, struct ys_link_connect *connect)
{
    connect->access_address = ys_get_u32(reader);
    connect->crc_init = ys_get_u24(reader);
    connect->window_size = ys_get_u8(reader);
    connect->window_offset = ys_get_u16(reader);
    connect->interval = ys_get_u16(reader);
    connect->latency = ys_get_u16(reader);
    connect->timeout = ys_get_u16(reader);
    ys_get_copy(reader, connect->channel_map, sizeof connect->channel_map);
    uint8_t last = ys_get_u8(reader);
    connect->hop = last & 0x1f;
    connect->clock_accuracy = last >> 5;
}

static void put_connect(struct ys_writer *writer, const struct ys_link_connect *connect)
{
    ys_put_u32(writer, connect->access_address);
    ys_put_u24(writer, connect->crc_init);
    ys_put_u8(writer, connect->window_size);
    ys_put_u16(writer, connect->window_offset);
    ys_put_u16(writer, connect->interval);
    ys_put_u16(writer, connect->latency);
    ys_put_u16(writer, connect->timeout);
    ys_put_bytes(writer, connect->channel_map, sizeof connect->channel_map);
    ys_put_u8(writer, (uint8_t)(connect->hop | connect->clock_accuracy << 5));
}

static bool has_target(uint8_t type)
{
    return type == YS_LINK_ADV_DIRECT_IND || type == YS_LINK_SCAN_REQ || type == YS_LINK_CONNECT_IND;
}

static bool has_data(uint8_t type)
{
    return type == YS_LINK_ADV_IND || type == YS_LINK_ADV_NONCONN_IND || type == YS_LINK_SCAN_RSP ||
           type == YS_LINK_ADV_SCAN_IND;
}

static void begin_advertising(struct ys_link_advertising *pdu, uint8_t header)
{
    *pdu = (struct ys_link_advertising){.type = header & 0x0f, .channel_selection_2 = (header >> 5 & 1) != 0};
}

static void get_payload(struct ys_reader *reader, uint8_t header, struct ys_link_advertising *pdu)
{
    pdu->sender.type = header >> 6 & 1;
    ys_get_address(reader, &pdu->sender);
    if (has_target(pdu->type)) {
        pdu->target.type = header >> 7;
        ys_get_address(reader, &pdu->target);
    }
    if (pdu->type == YS_LINK_CONNECT_IND)
        get_connect(reader, &pdu->connect);
    if (has_data(pdu->type)) {
        pdu->length = (uint8_t)ys_reader_left(reader);
        pdu->data = ys_get_bytes(reader, pdu->length);
    }
}

/* Vol 6 Part B 2.3. */
bool ys_link_advertising_decode(const uint8_t *bytes, size_t length, struct ys_link_advertising *pdu)
{
    struct ys_reader reader = ys_reader_of(bytes, length);
    uint8_t header = ys_get_u8(&reader);
    uint8_t payload = ys_get_u8(&reader);
    begin_advertising(pdu, header);
    if (payload != ys_reader_left(&reader) || pdu->type > YS_LINK_ADV_SCAN_IND)
        return false;
    get_payload(&reader, header, pdu);
    return ys_reader_done(&reader) && pdu->length <= 31;
}

/* Vol 6 Part B 2.3. */
void ys_put_link_advertising(struct ys_writer *writer, const struct ys_link_advertising *pdu)
{
    bool target = has_target(pdu->type);
    size_t length = ADDRESS_SIZE;
    if (target)
        length += ADDRESS_SIZE;
    if (pdu->type == YS_LINK_CONNECT_IND)
        length += CONNECT_SIZE - 2 * ADDRESS_SIZE;
    if (has_data(pdu->type))
        length += pdu->length;
    ys_put_u8(writer, (uint8_t)(pdu->type | pdu->channel_selection_2 << 5 | (pdu->sender.type & 1) << 6 |
                                (target ? (pdu->target.type & 1) << 7 : 0)));
    ys_put_u8(writer, (uint8_t)length);
    ys_put_address(writer, &pdu->sender);
    if (target)
        ys_put_address(writer, &pdu->target);
    if (pdu->type == YS_LINK_CONNECT_IND)
        put_connect(writer, &pdu->connect);
    if (has_data(pdu->type))
        ys_put_bytes(writer, pdu->data, pdu->length);
}

/* Vol 6 Part B 2.4.1. */
bool ys_link_data_decode(const uint8_t *bytes, size_t length, struct ys_link_data *pdu)
{
    struct ys_reader reader = ys_reader_of(bytes, length);
    uint8_t header = ys_get_u8(&reader);
    *pdu = (struct ys_link_data){
        .kind = header & 3,
        .next_expected = (header >> 2 & 1) != 0,
        .sequence = (header >> 3 & 1) != 0,
        .more = (header >> 4 & 1) != 0,
        .length = ys_get_u8(&reader),
    };
    pdu->payload = ys_get_bytes(&reader, pdu->length);
    /* Vol 6 Part B 2.4: kind 0 is reserved; only a continuing PDU may be empty */
    return ys_reader_done(&reader) && pdu->kind != 0 && (pdu->length > 0 || pdu->kind == YS_LINK_CONTINUING);
}

/* Vol 6 Part B 2.4.1. */
void ys_put_link_data(struct ys_writer *writer, const struct ys_link_data *pdu)
{
    ys_put_u8(writer, (uint8_t)(pdu->kind | pdu->next_expected << 2 | pdu->sequence << 3 | pdu->more << 4));
    ys_put_u8(writer, pdu->length);
    ys_put_bytes(writer, pdu->payload, pdu->length);
}

/* The polynomial x^24 + x^10 + x^9 + x^6 + x^4 + x^3 + x + 1 for a register that is shifted to the right, so that bits
 * enter in the order of the air. The result of a byte followed by a number of zero bytes is the sum of the results of
 * its bits. */
#define STEP(byte, a, b, c, d, e, f, g, h)                                                                             \
    (((byte)&1 ? (a) : 0) ^ ((byte)&2 ? (b) : 0) ^ ((byte)&4 ? (c) : 0) ^ ((byte)&8 ? (d) : 0) ^                       \
     ((byte)&16 ? (e) : 0) ^ ((byte)&32 ? (f) : 0) ^ ((byte)&64 ? (g) : 0) ^ ((byte)&128 ? (h) : 0))
#define STEPS_4(byte, ...)                                                                                             \
    STEP(byte, __VA_ARGS__), STEP((byte) + 1, __VA_ARGS__), STEP((byte) + 2, __VA_ARGS__), STEP((byte) + 3, __VA_ARGS__)
#define STEPS_16(byte, ...)                                                                                            \
    STEPS_4(byte, __VA_ARGS__), STEPS_4((byte) + 4, __VA_ARGS__), STEPS_4((byte) + 8, __VA_ARGS__),                    \
        STEPS_4((byte) + 12, __VA_ARGS__)
#define STEPS_64(byte, ...)                                                                                            \
    STEPS_16(byte, __VA_ARGS__), STEPS_16((byte) + 16, __VA_ARGS__), STEPS_16((byte) + 32, __VA_ARGS__),               \
        STEPS_16((byte) + 48, __VA_ARGS__)
#define STEPS(...)                                                                                                     \
    {                                                                                                                  \
        STEPS_64(0, __VA_ARGS__), STEPS_64(64, __VA_ARGS__), STEPS_64(128, __VA_ARGS__), STEPS_64(192, __VA_ARGS__)    \
    }
#define SLICES     8
#define POLYNOMIAL 0xda6000
static const uint32_t crc_steps[SLICES][256] = {
    STEPS(0x01b4c0, 0x036980, 0x06d300, 0x0da600, 0x1b4c00, 0x369800, 0x6d3000, 0xda6000),
    STEPS(0xb751b4, 0xda6369, 0x0006d3, 0x000da6, 0x001b4c, 0x003698, 0x006d30, 0x00da60),
    STEPS(0xf1d051, 0x5760a3, 0xaec146, 0xe9428d, 0x66451b, 0xcc8a36, 0x2dd46d, 0x5ba8da),
    STEPS(0x773910, 0xee7220, 0x682441, 0xd04882, 0x145105, 0x28a20a, 0x514414, 0xa28828),
    STEPS(0x1b3b39, 0x367672, 0x6cece4, 0xd9d9c8, 0x077391, 0x0ee722, 0x1dce44, 0x3b9c88),
    STEPS(0x21ddfb, 0x43bbf6, 0x8777ec, 0xba2fd9, 0xc09fb3, 0x35ff67, 0x6bfece, 0xd7fd9c),
    STEPS(0x95de9d, 0x9f7d3b, 0x8a3a77, 0xa0b4ef, 0xf5a9df, 0x5f93bf, 0xbf277e, 0xca8efd),
    STEPS(0xcb781e, 0x22303d, 0x44607a, 0x88c0f4, 0xa541e9, 0xfe43d3, 0x4847a7, 0x908f4e),
};

#define TURN_2(n) (n), (n) + 2 * 64, (n) + 1 * 64, (n) + 3 * 64
#define TURN_4(n) TURN_2(n), TURN_2((n) + 2 * 16), TURN_2((n) + 1 * 16), TURN_2((n) + 3 * 16)
#define TURN_6(n) TURN_4(n), TURN_4((n) + 2 * 4), TURN_4((n) + 1 * 4), TURN_4((n) + 3 * 4)

/* Bytes with their bits turned round. */
static const uint8_t turned[256] = {TURN_6(0), TURN_6(2), TURN_6(1), TURN_6(3)};

uint32_t ys_link_crc_turn(uint32_t crc)
{
    return (uint32_t)turned[crc & 0xff] << 16 | (uint32_t)turned[crc >> 8 & 0xff] << 8 | turned[crc >> 16 & 0xff];
}

/* Eight bytes at a time, each by its own table, and the rest one by one. */
uint32_t ys_link_crc_go_on(uint32_t crc, const uint8_t *bytes, size_t length)
{
    for (; length >= SLICES; length -= SLICES, bytes += SLICES)
        crc = crc_steps[7][(crc ^ bytes[0]) & 0xff] ^ crc_steps[6][(crc >> 8 ^ bytes[1]) & 0xff] ^
              crc_steps[5][(crc >> 16 ^ bytes[2]) & 0xff] ^ crc_steps[4][bytes[3]] ^ crc_steps[3][bytes[4]] ^
              crc_steps[2][bytes[5]] ^ crc_steps[1][bytes[6]] ^ crc_steps[0][bytes[7]];
    for (; length > 0; length--, bytes++)
        crc = crc >> 8 ^ crc_steps[0][(crc ^ *bytes) & 0xff];
    return crc;
}

/* Vol 6 Part B 3.1.1. */
uint32_t ys_link_crc(uint32_t init, const uint8_t *bytes, size_t length)
{
    return ys_link_crc_turn(ys_link_crc_go_on(ys_link_crc_turn(init), bytes, length));
}

uint32_t ys_link_crc_init(uint32_t crc, const uint8_t *bytes, size_t length)
{
    uint32_t state = ys_link_crc_turn(crc);
    for (size_t left = length * 8; left > 0; left--) {
        uint32_t bit = bytes[(left - 1) / 8] >> (left - 1) % 8 & 1u;
        bool was_added = (state & 0x800000) != 0; /* the polynomial, whose last bit it is */
        state = (was_added ? state ^ POLYNOMIAL : state) << 1 & 0xffffff;
        state |= was_added != (bit != 0);
    }
    return ys_link_crc_turn(state);
}

/* Vol 6 Part B 2.1, 2.2. */
uint64_t ys_link_duration_ns(enum ys_phy phy, size_t length)
{
    uint64_t covered = (length + 3) * 8; /* bits under the CRC, and the CRC */
    switch (phy) {
    case YS_PHY_2M:
        return ((uint64_t)(2 + 4) * 8 + covered) * 500;
    case YS_PHY_CODED_S8:
        return (80 + 256 + 16 + 24 + covered * 8 + 24) * 1000;
    case YS_PHY_CODED_S2:
        return (80 + 256 + 16 + 24 + covered * 2 + 6) * 1000;
    case YS_PHY_1M:
    default:
        return ((uint64_t)(1 + 4) * 8 + covered) * 1000;
    }
}

uint8_t ys_link_payload_within(enum ys_phy phy, uint64_t duration_ns)
{
    uint8_t payload = 255;
    while (payload > 0 && ys_link_duration_ns(phy, 2u + payload) > duration_ns)
        payload--;
    return payload;
}

/* Vol 6 Part B 4.5.10. */
uint8_t ys_link_payload_agreed(enum ys_phy phy, uint16_t octets, uint16_t us)
{
    uint8_t in_time = (uint8_t)(ys_link_payload_within(phy, us * UINT64_C(1000)) - YS_LINK_MIC_SIZE);
    return in_time < octets ? in_time : (uint8_t)octets;
}

uint16_t ys_link_time_us(enum ys_phy phy, enum ys_phy other, uint32_t interval_us, uint16_t agreed_us)
{
    if (!ys_phy_is_coded(phy))
        return agreed_us;
    uint32_t other_us = ys_phy_is_coded(other) ? YS_LINK_TIME_CODED_US : YS_LINK_TIME_DEFAULT_US;
    uint32_t room_us = interval_us - (uint32_t)(2 * YS_LINK_INTER_FRAME_SPACE_NS / 1000) - other_us;
    uint32_t us = room_us < agreed_us ? room_us : agreed_us;
    return (uint16_t)(us > YS_LINK_TIME_CODED_US ? us : YS_LINK_TIME_CODED_US);
}

static bool is_used(const uint8_t channel_map[5], uint8_t channel)
{
    return (channel_map[channel / 8] >> channel % 8 & 1) != 0;
}

static uint8_t list_used(const uint8_t channel_map[5], uint8_t used[CHANNELS])
{
    uint8_t count = 0;
    for (uint8_t channel = 0; channel < CHANNELS; channel++) {
        if (is_used(channel_map, channel))
            used[count++] = channel;
    }
    return count;
}

uint8_t ys_link_channel_count(const uint8_t channel_map[5])
{
    uint8_t used[CHANNELS];
    return list_used(channel_map, used);
}

/* Vol 6 Part B 1.4.1, 4.5.8. */
uint8_t ys_link_next_channel(uint8_t *last_unmapped, uint8_t hop, const uint8_t channel_map[5])
{
    uint8_t used[CHANNELS] = {0};
    uint8_t unmapped = (uint8_t)((*last_unmapped + hop) % CHANNELS);
    *last_unmapped = unmapped;
    if (is_used(channel_map, unmapped))
        return unmapped;
    uint8_t count = list_used(channel_map, used);
    return count == 0 ? unmapped : used[unmapped % count];
}

/* Each of the two bytes from its last bit to its first. */
static uint16_t reverse_bytes(uint16_t value)
{
    unsigned bits = value;
    bits = (bits & 0x5555) << 1 | (bits >> 1 & 0x5555);
    bits = (bits & 0x3333) << 2 | (bits >> 2 & 0x3333);
    return (uint16_t)((bits & 0x0f0f) << 4 | (bits >> 4 & 0x0f0f));
}

/* Vol 6 Part B 4.5.8. */
uint16_t ys_link_event_number(uint32_t access_address, uint16_t counter)
{
    uint16_t identifier = (uint16_t)(access_address >> 16 ^ access_address);
    uint16_t value = counter ^ identifier;
    for (int i = 0; i < 3; i++)
        value = (uint16_t)(reverse_bytes(value) * 17u + identifier);
    return value ^ identifier;
}

/* Vol 6 Part B 4.5.8. */
uint8_t ys_link_event_channel(uint32_t access_address, uint16_t counter, const uint8_t channel_map[5])
{
    uint8_t used[CHANNELS] = {0};
    uint16_t value = ys_link_event_number(access_address, counter);
    uint8_t unmapped = (uint8_t)(value % CHANNELS);
    if (is_used(channel_map, unmapped))
        return unmapped;
    uint8_t count = list_used(channel_map, used);
    return count == 0 ? unmapped : used[(uint32_t)value * count >> 16];
}

/* Vol 6 Part B 4.5.1. */
bool ys_link_parameters_are_valid(uint16_t interval, uint16_t latency, uint16_t timeout)
{
    /* timeout x 10 ms > (1 + latency) x interval x 1.25 ms x 2, in quarters of a millisecond */
    return interval >= 6 && interval <= 3200 && latency <= 499 && timeout >= 10 && timeout <= 3200 &&
           (uint32_t)timeout * 40 > (1u + latency) * interval * 10u;
}
