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

/* The polynomial x^24 + x^10 + x^9 + x^6 + x^4 + x^3 + x + 1 for a register that is shifted to the right, so that the
 * bits enter in the order of the air. One step takes eight bits. */
static const uint32_t crc_steps[256] = {
    0x000000, 0x01b4c0, 0x036980, 0x02dd40, 0x06d300, 0x0767c0, 0x05ba80, 0x040e40, 0x0da600, 0x0c12c0, 0x0ecf80,
    0x0f7b40, 0x0b7500, 0x0ac1c0, 0x081c80, 0x09a840, 0x1b4c00, 0x1af8c0, 0x182580, 0x199140, 0x1d9f00, 0x1c2bc0,
    0x1ef680, 0x1f4240, 0x16ea00, 0x175ec0, 0x158380, 0x143740, 0x103900, 0x118dc0, 0x135080, 0x12e440, 0x369800,
    0x372cc0, 0x35f180, 0x344540, 0x304b00, 0x31ffc0, 0x332280, 0x329640, 0x3b3e00, 0x3a8ac0, 0x385780, 0x39e340,
    0x3ded00, 0x3c59c0, 0x3e8480, 0x3f3040, 0x2dd400, 0x2c60c0, 0x2ebd80, 0x2f0940, 0x2b0700, 0x2ab3c0, 0x286e80,
    0x29da40, 0x207200, 0x21c6c0, 0x231b80, 0x22af40, 0x26a100, 0x2715c0, 0x25c880, 0x247c40, 0x6d3000, 0x6c84c0,
    0x6e5980, 0x6fed40, 0x6be300, 0x6a57c0, 0x688a80, 0x693e40, 0x609600, 0x6122c0, 0x63ff80, 0x624b40, 0x664500,
    0x67f1c0, 0x652c80, 0x649840, 0x767c00, 0x77c8c0, 0x751580, 0x74a140, 0x70af00, 0x711bc0, 0x73c680, 0x727240,
    0x7bda00, 0x7a6ec0, 0x78b380, 0x790740, 0x7d0900, 0x7cbdc0, 0x7e6080, 0x7fd440, 0x5ba800, 0x5a1cc0, 0x58c180,
    0x597540, 0x5d7b00, 0x5ccfc0, 0x5e1280, 0x5fa640, 0x560e00, 0x57bac0, 0x556780, 0x54d340, 0x50dd00, 0x5169c0,
    0x53b480, 0x520040, 0x40e400, 0x4150c0, 0x438d80, 0x423940, 0x463700, 0x4783c0, 0x455e80, 0x44ea40, 0x4d4200,
    0x4cf6c0, 0x4e2b80, 0x4f9f40, 0x4b9100, 0x4a25c0, 0x48f880, 0x494c40, 0xda6000, 0xdbd4c0, 0xd90980, 0xd8bd40,
    0xdcb300, 0xdd07c0, 0xdfda80, 0xde6e40, 0xd7c600, 0xd672c0, 0xd4af80, 0xd51b40, 0xd11500, 0xd0a1c0, 0xd27c80,
    0xd3c840, 0xc12c00, 0xc098c0, 0xc24580, 0xc3f140, 0xc7ff00, 0xc64bc0, 0xc49680, 0xc52240, 0xcc8a00, 0xcd3ec0,
    0xcfe380, 0xce5740, 0xca5900, 0xcbedc0, 0xc93080, 0xc88440, 0xecf800, 0xed4cc0, 0xef9180, 0xee2540, 0xea2b00,
    0xeb9fc0, 0xe94280, 0xe8f640, 0xe15e00, 0xe0eac0, 0xe23780, 0xe38340, 0xe78d00, 0xe639c0, 0xe4e480, 0xe55040,
    0xf7b400, 0xf600c0, 0xf4dd80, 0xf56940, 0xf16700, 0xf0d3c0, 0xf20e80, 0xf3ba40, 0xfa1200, 0xfba6c0, 0xf97b80,
    0xf8cf40, 0xfcc100, 0xfd75c0, 0xffa880, 0xfe1c40, 0xb75000, 0xb6e4c0, 0xb43980, 0xb58d40, 0xb18300, 0xb037c0,
    0xb2ea80, 0xb35e40, 0xbaf600, 0xbb42c0, 0xb99f80, 0xb82b40, 0xbc2500, 0xbd91c0, 0xbf4c80, 0xbef840, 0xac1c00,
    0xada8c0, 0xaf7580, 0xaec140, 0xaacf00, 0xab7bc0, 0xa9a680, 0xa81240, 0xa1ba00, 0xa00ec0, 0xa2d380, 0xa36740,
    0xa76900, 0xa6ddc0, 0xa40080, 0xa5b440, 0x81c800, 0x807cc0, 0x82a180, 0x831540, 0x871b00, 0x86afc0, 0x847280,
    0x85c640, 0x8c6e00, 0x8ddac0, 0x8f0780, 0x8eb340, 0x8abd00, 0x8b09c0, 0x89d480, 0x886040, 0x9a8400, 0x9b30c0,
    0x99ed80, 0x985940, 0x9c5700, 0x9de3c0, 0x9f3e80, 0x9e8a40, 0x972200, 0x9696c0, 0x944b80, 0x95ff40, 0x91f100,
    0x9045c0, 0x929880, 0x932c40,
};

/* Swaps neighbours, then pairs, then halves of bytes, then bytes. */
static uint32_t reverse_24(uint32_t value)
{
    value = (value & 0x555555) << 1 | (value >> 1 & 0x555555);
    value = (value & 0x333333) << 2 | (value >> 2 & 0x333333);
    value = (value & 0x0f0f0f) << 4 | (value >> 4 & 0x0f0f0f);
    return (value & 0xff) << 16 | (value & 0xff00) | (value >> 16 & 0xff);
}

/* Vol 6 Part B 3.1.1. */
uint32_t ys_link_crc(uint32_t init, const uint8_t *bytes, size_t length)
{
    uint32_t crc = reverse_24(init);
    for (size_t i = 0; i < length; i++)
        crc = crc >> 8 ^ crc_steps[(crc ^ bytes[i]) & 0xff];
    return reverse_24(crc);
}

uint32_t ys_link_crc_init(uint32_t crc, const uint8_t *bytes, size_t length)
{
    uint32_t state = reverse_24(crc);
    for (size_t left = length * 8; left > 0; left--) {
        uint32_t bit = bytes[(left - 1) / 8] >> (left - 1) % 8 & 1u;
        bool was_added = (state & 0x800000) != 0; /* the polynomial, whose last bit it is */
        state = (was_added ? state ^ crc_steps[0x80] : state) << 1 & 0xffffff;
        state |= was_added != (bit != 0);
    }
    return reverse_24(state);
}

uint32_t ys_link_crc_turn(uint32_t crc)
{
    return reverse_24(crc);
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
    uint8_t count = list_used(channel_map, used);
    uint8_t unmapped = (uint8_t)((*last_unmapped + hop) % CHANNELS);
    *last_unmapped = unmapped;
    return count == 0 || is_used(channel_map, unmapped) ? unmapped : used[unmapped % count];
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
    uint8_t count = list_used(channel_map, used);
    uint16_t value = ys_link_event_number(access_address, counter);
    uint8_t unmapped = (uint8_t)(value % CHANNELS);
    return count == 0 || is_used(channel_map, unmapped) ? unmapped : used[(uint32_t)value * count >> 16];
}

/* Vol 6 Part B 4.5.1. */
bool ys_link_parameters_are_valid(uint16_t interval, uint16_t latency, uint16_t timeout)
{
    /* timeout x 10 ms > (1 + latency) x interval x 1.25 ms x 2, in quarters of a millisecond */
    return interval >= 6 && interval <= 3200 && latency <= 499 && timeout >= 10 && timeout <= 3200 &&
           (uint32_t)timeout * 40 > (1u + latency) * interval * 10u;
}
