/* Extended advertising PDUs. */
#include "wire/extended.h"

#define FLAG_SENDER  0x01
#define FLAG_TARGET  0x02
#define FLAG_TONE    0x04
#define FLAG_DATA_ID 0x08
#define FLAG_AUX     0x10
#define FLAG_SYNC    0x20
#define FLAG_POWER   0x40

#define TONE_SIZE 1
#define SYNC_SIZE 18

#define SHORT_STEP_US 30
#define LONG_STEP_US  300
#define SHORT_MAX_US  (0x1fffu * SHORT_STEP_US)

static void get_aux(struct ys_reader *reader, struct ys_link_aux *aux)
{
    static const uint8_t phys[] = {YS_PHY_1M, YS_PHY_2M, YS_PHY_CODED_S8};
    uint8_t first = ys_get_u8(reader);
    uint16_t rest = ys_get_u16(reader);
    uint8_t phy = (uint8_t)(rest >> 13);
    aux->channel = first & 0x3f;
    aux->accurate = (first >> 6 & 1) != 0;
    aux->offset_us = (uint32_t)(rest & 0x1fff) * ((first >> 7) != 0 ? LONG_STEP_US : SHORT_STEP_US);
    aux->phy = phy < sizeof phys ? phys[phy] : YS_PHY_1M;
    if (aux->channel > 36 || phy >= sizeof phys) /* reserved */
        (void)ys_get_bytes(reader, SIZE_MAX);
}

static void put_aux(struct ys_writer *writer, const struct ys_link_aux *aux)
{
    uint32_t step_us = ys_link_aux_step_us(aux->offset_us);
    uint8_t phy = aux->phy == YS_PHY_1M ? 0 : aux->phy == YS_PHY_2M ? 1 : 2;
    ys_put_u8(writer, (uint8_t)(aux->channel | aux->accurate << 6 | (step_us == LONG_STEP_US) << 7));
    ys_put_u16(writer, (uint16_t)(aux->offset_us / step_us | (uint32_t)phy << 13));
}

/* Vol 6 Part B 2.3.4. */
static void get_fields(struct ys_reader *header, struct ys_link_extended *pdu)
{
    uint8_t flags = ys_get_u8(header);
    pdu->has_sender = (flags & FLAG_SENDER) != 0;
    pdu->has_target = (flags & FLAG_TARGET) != 0;
    pdu->has_data_id = (flags & FLAG_DATA_ID) != 0;
    pdu->has_aux = (flags & FLAG_AUX) != 0;
    pdu->has_power = (flags & FLAG_POWER) != 0;
    if (pdu->has_sender)
        ys_get_address(header, &pdu->sender);
    if (pdu->has_target)
        ys_get_address(header, &pdu->target);
    if ((flags & FLAG_TONE) != 0)
        (void)ys_get_bytes(header, TONE_SIZE);
    if (pdu->has_data_id) {
        uint16_t id = ys_get_u16(header);
        pdu->data_id.version = id & 0x0fff;
        pdu->data_id.set = (uint8_t)(id >> 12);
    }
    if (pdu->has_aux)
        get_aux(header, &pdu->aux);
    if ((flags & FLAG_SYNC) != 0)
        (void)ys_get_bytes(header, SYNC_SIZE);
    if (pdu->has_power)
        pdu->power_dbm = ys_get_i8(header);
}

static void begin(struct ys_link_extended *pdu, uint8_t type)
{
    *pdu = (struct ys_link_extended){.type = type};
}

bool ys_link_extended_decode(const uint8_t *bytes, size_t length, struct ys_link_extended *pdu)
{
    struct ys_reader reader = ys_reader_of(bytes, length);
    uint8_t first = ys_get_u8(&reader);
    uint8_t payload = ys_get_u8(&reader);
    begin(pdu, first & 0x0f);
    if (payload != ys_reader_left(&reader) || (pdu->type != YS_LINK_ADV_EXTENDED && pdu->type != YS_LINK_CONNECT_RSP))
        return false;
    uint8_t second = ys_get_u8(&reader);
    struct ys_reader header = ys_get_part(&reader, second & 0x3f);
    pdu->mode = second >> 6;
    pdu->length = (uint8_t)ys_reader_left(&reader);
    pdu->data = ys_get_bytes(&reader, pdu->length);
    if (ys_reader_left(&header) > 0)
        get_fields(&header, pdu);
    pdu->sender.type = pdu->has_sender ? first >> 6 & 1 : 0;
    pdu->target.type = pdu->has_target ? first >> 7 : 0;
    return ys_reader_done(&reader) && ys_reader_ok(&header) && pdu->mode <= YS_LINK_MODE_SCANNABLE;
}

/* The extended header without its first byte. */
static size_t header_length(const struct ys_link_extended *pdu)
{
    size_t length = 0;
    if (pdu->has_sender)
        length += 6;
    if (pdu->has_target)
        length += 6;
    if (pdu->has_data_id)
        length += 2;
    if (pdu->has_aux)
        length += 3;
    if (pdu->has_power)
        length += 1;
    return length > 0 ? length + 1 : 0;
}

size_t ys_link_extended_room(const struct ys_link_extended *pdu)
{
    return YS_LINK_EXTENDED_MAX - 1 - header_length(pdu);
}

/* Vol 6 Part B 2.3.4. */
void ys_put_link_extended(struct ys_writer *writer, const struct ys_link_extended *pdu)
{
    size_t header = header_length(pdu);
    ys_put_u8(writer, (uint8_t)(pdu->type | (pdu->has_sender ? pdu->sender.type & 1 : 0) << 6 |
                                (pdu->has_target ? pdu->target.type & 1 : 0) << 7));
    ys_put_u8(writer, (uint8_t)(1 + header + pdu->length));
    ys_put_u8(writer, (uint8_t)(header | (size_t)pdu->mode << 6));
    if (header > 0)
        ys_put_u8(writer, (uint8_t)((pdu->has_sender ? FLAG_SENDER : 0) | (pdu->has_target ? FLAG_TARGET : 0) |
                                    (pdu->has_data_id ? FLAG_DATA_ID : 0) | (pdu->has_aux ? FLAG_AUX : 0) |
                                    (pdu->has_power ? FLAG_POWER : 0)));
    if (pdu->has_sender)
        ys_put_address(writer, &pdu->sender);
    if (pdu->has_target)
        ys_put_address(writer, &pdu->target);
    if (pdu->has_data_id)
        ys_put_u16(writer, (uint16_t)(pdu->data_id.version | pdu->data_id.set << 12));
    if (pdu->has_aux)
        put_aux(writer, &pdu->aux);
    if (pdu->has_power)
        ys_put_i8(writer, pdu->power_dbm);
    ys_put_bytes(writer, pdu->data, pdu->length);
}

uint32_t ys_link_aux_step_us(uint32_t offset_us)
{
    return offset_us <= SHORT_MAX_US ? SHORT_STEP_US : LONG_STEP_US;
}

uint32_t ys_link_aux_offset_us(uint64_t offset_ns)
{
    uint32_t offset_us = (uint32_t)(offset_ns / 1000);
    return offset_us - offset_us % ys_link_aux_step_us(offset_us);
}

uint64_t ys_link_chain_ns(enum ys_phy phy, const struct ys_link_extended *first, size_t length)
{
    struct ys_link_extended pdu = *first; /* without a pointer, as are those that follow it at first */
    uint64_t sum_ns = 0;
    bool more = true;
    while (more) {
        pdu.has_aux = length > ys_link_extended_room(&pdu);
        more = pdu.has_aux;
        size_t room = ys_link_extended_room(&pdu);
        size_t part = length < room ? length : room;
        size_t header = 1 + YS_LINK_EXTENDED_MAX - room; /* with that of the PDU */
        /* it may begin a step later than it could */
        sum_ns += YS_LINK_AUX_SPACE_NS + SHORT_STEP_US * UINT64_C(1000) + ys_link_duration_ns(phy, header + 1 + part);
        length -= part;
        pdu = (struct ys_link_extended){.type = YS_LINK_ADV_EXTENDED, .has_data_id = true};
    }
    return sum_ns;
}
