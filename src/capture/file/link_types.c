/* What stands before each packet in a capture file. */
#include "capture/file/link_types.h"

#include <string.h>

#include "machine/crc.h"
#include "wire/hci.h"

/* Flags of the header of a packet on the air. */
enum flag {
    FLAG_DEWHITENED = 0x0001,
    FLAG_STRENGTH = 0x0002,
    FLAG_DECRYPTED = 0x0008,
    FLAG_REFERENCE = 0x0010, /* the reference access address is valid */
    FLAG_ALIASED = 0x0040,   /* the channel may be another */
    FLAG_CRC_CHECKED = 0x0400,
    FLAG_CRC_GOOD = 0x0800
};

/* Of an auxiliary packet, its kind. */
#define AUXILIARY_SHIFT 12
#define AUXILIARY_MASK  3

#define KIND_SHIFT 7
#define KIND_MASK  7
#define PHY_SHIFT  14

/* What kind of packet it is, as the flags say. */
enum kind { KIND_ADVERTISING = 0, KIND_AUXILIARY = 1, KIND_FROM_CENTRAL = 2, KIND_FROM_PERIPHERAL = 3 };

#define CRC_SIZE 3

bool ys_link_type_is_known(uint32_t type)
{
    return type == YS_LINK_TYPE_HCI || type == YS_LINK_TYPE_HCI_WITH_DIRECTION || type == YS_LINK_TYPE_AIR ||
           type == YS_LINK_TYPE_HCI_MONITORED || type == YS_LINK_TYPE_AIR_WITH_HEADER;
}

/* Channels in a capture are counted by frequency: 0 is 2402 MHz. 37, 38 and 39 lie at 2402, 2426 and 2480. */
static uint8_t channel_of_frequency(uint8_t number)
{
    return number == 0    ? 37
           : number == 12 ? 38
           : number == 39 ? 39
           : number < 12  ? (uint8_t)(number - 1)
                          : (uint8_t)(number - 2);
}

static uint8_t frequency_of_channel(uint8_t channel)
{
    return channel == 37   ? 0
           : channel == 38 ? 12
           : channel == 39 ? 39
           : channel < 11  ? (uint8_t)(channel + 1)
                           : (uint8_t)(channel + 2);
}

/* Access address, on LE Coded how it is coded, PDU, CRC. */
static enum ys_unpacked unpack_packet(struct ys_reader *reader, struct ys_record *record)
{
    struct ys_air_packet *air = &record->air;
    air->access_address = ys_get_u32(reader);
    if (air->phy == YS_PHY_CODED_S8)
        air->phy = (ys_get_u8(reader) & 3) == 1 ? YS_PHY_CODED_S2 : YS_PHY_CODED_S8;
    size_t left = ys_reader_left(reader);
    if (!ys_reader_ok(reader) || left < 2)
        return YS_UNPACKED_SHORT;
    size_t whole = 2 + (size_t)reader->next[1];
    if (left < whole + CRC_SIZE)
        record->known |= YS_AIR_CUT;
    size_t length = left < whole ? left : whole;
    air->length = (uint16_t)length;
    ys_get_copy(reader, air->pdu, length);
    air->crc = ys_link_crc_turn(ys_get_u24(reader));
    air->duration_ns = ys_link_duration_ns(air->phy, whole);
    if ((record->known & YS_AIR_CRC) == 0 && (record->known & YS_AIR_CUT) == 0 &&
        air->access_address == YS_LINK_ADVERTISING_ACCESS_ADDRESS) {
        record->known |= YS_AIR_CRC;
        air->crc_good = air->crc == ys_machine_crc(YS_LINK_ADVERTISING_CRC_INIT, air->pdu, air->length);
    }
    return YS_UNPACKED;
}

static enum ys_unpacked unpack_header(struct ys_reader *reader, struct ys_record *record)
{
    struct ys_air_packet *air = &record->air;
    uint8_t frequency = ys_get_u8(reader);
    air->strength_dbm = ys_get_i8(reader);
    (void)ys_get_u8(reader);  /* noise */
    (void)ys_get_u8(reader);  /* wrong bits of the access address */
    (void)ys_get_u32(reader); /* the access address that was looked for */
    uint16_t flags = ys_get_u16(reader);
    unsigned kind = flags >> KIND_SHIFT & KIND_MASK;
    unsigned phy = flags >> PHY_SHIFT;
    if (!ys_reader_ok(reader))
        return YS_UNPACKED_SHORT;
    if (frequency > 39 || phy > 2 || (flags & FLAG_DEWHITENED) == 0)
        return YS_UNPACKED_OTHER;
    air->channel = channel_of_frequency(frequency);
    air->phy = phy == 0 ? YS_PHY_1M : phy == 1 ? YS_PHY_2M : YS_PHY_CODED_S8;
    air->side = kind == KIND_FROM_CENTRAL      ? YS_AIR_CENTRAL
                : kind == KIND_FROM_PERIPHERAL ? YS_AIR_PERIPHERAL
                                               : YS_AIR_SIDE_UNKNOWN;
    /* a zero may be of a recorder that does not look at it */
    unsigned auxiliary = kind == KIND_AUXILIARY ? flags >> AUXILIARY_SHIFT & AUXILIARY_MASK : 0;
    air->auxiliary = (uint8_t)(auxiliary > 0 ? YS_AUXILIARY_ADV + auxiliary : YS_AUXILIARY_NOT);
    air->crc_good = (flags & FLAG_CRC_GOOD) != 0;
    record->known = (uint8_t)(YS_AIR_PHY | ((flags & FLAG_ALIASED) == 0 ? YS_AIR_CHANNEL : 0) |
                              ((flags & FLAG_STRENGTH) != 0 ? YS_AIR_STRENGTH : 0) |
                              ((flags & FLAG_CRC_CHECKED) != 0 ? YS_AIR_CRC : 0) |
                              ((flags & FLAG_DECRYPTED) != 0 ? YS_AIR_PLAIN : 0));
    return unpack_packet(reader, record);
}

/* Which way it must have gone: commands and events say it themselves, data by their boundary flag where it begins a
 * frame. */
static bool goes_to_host(const uint8_t *bytes, size_t length)
{
    if (bytes[0] == YS_HCI_DATA)
        return length >= 3 && (bytes[2] >> 4 & 3) == YS_HCI_FIRST_TO_HOST;
    return bytes[0] == YS_HCI_EVENT;
}

static enum ys_unpacked take_hci(const uint8_t *bytes, size_t length, struct ys_record *record)
{
    if (length < 2)
        return YS_UNPACKED_SHORT;
    record->bytes = bytes;
    record->length = length;
    if (!record->direction_is_sure)
        record->to_host = goes_to_host(bytes, length);
    bool known = bytes[0] == YS_HCI_COMMAND || bytes[0] == YS_HCI_DATA || bytes[0] == YS_HCI_EVENT;
    return known ? YS_UNPACKED : YS_UNPACKED_OTHER; /* isochronous and synchronous data */
}

/* A number in the order of the network. */
static uint32_t get_big(struct ys_reader *reader, size_t size)
{
    uint32_t value = 0;
    for (size_t i = 0; i < size; i++)
        value = value << 8 | ys_get_u8(reader);
    return value;
}

static enum ys_unpacked unpack_monitored(struct ys_reader *reader, uint8_t *scratch, struct ys_record *record)
{
    static const struct {
        uint8_t type;
        bool to_host;
    } kinds[] = {[2] = {YS_HCI_COMMAND, false},
                 [3] = {YS_HCI_EVENT, true},
                 [4] = {YS_HCI_DATA, false},
                 [5] = {YS_HCI_DATA, true}};
    record->device = (uint16_t)(get_big(reader, 2) + 1);
    uint32_t kind = get_big(reader, 2);
    size_t left = ys_reader_left(reader);
    if (!ys_reader_ok(reader))
        return YS_UNPACKED_SHORT;
    if (kind >= sizeof kinds / sizeof kinds[0] || kinds[kind].type == 0)
        return YS_UNPACKED_OTHER;
    scratch[0] = kinds[kind].type;
    ys_get_copy(reader, scratch + 1, left);
    record->to_host = kinds[kind].to_host;
    record->direction_is_sure = true;
    return take_hci(scratch, left + 1, record);
}

enum ys_unpacked ys_link_type_unpack(uint32_t type, const uint8_t *bytes, size_t length, uint8_t *scratch,
                                     struct ys_record *record)
{
    struct ys_reader reader = ys_reader_of(bytes, length);
    bool on_air = type == YS_LINK_TYPE_AIR || type == YS_LINK_TYPE_AIR_WITH_HEADER;
    record->kind = on_air ? YS_RECORD_AIR : YS_RECORD_HCI;
    record->known = 0;
    record->lost = false;
    record->direction_is_sure = false;
    record->bytes = NULL;
    record->length = 0;
    if (on_air) {
        record->air.start_ns = record->at_ns;
        record->air.sender = YS_AIR_UNKNOWN_SENDER;
        record->air.side = YS_AIR_SIDE_UNKNOWN;
        record->air.overlapped = false;
        record->air.phy = YS_PHY_1M;
        record->air.channel = 0;
        record->air.crc_good = false;
        return type == YS_LINK_TYPE_AIR ? unpack_packet(&reader, record) : unpack_header(&reader, record);
    }
    if (type == YS_LINK_TYPE_HCI_MONITORED)
        return unpack_monitored(&reader, scratch, record);
    if (type == YS_LINK_TYPE_HCI_WITH_DIRECTION) {
        record->to_host = get_big(&reader, 4) != 0;
        record->direction_is_sure = true;
    }
    if (!ys_reader_ok(&reader))
        return YS_UNPACKED_SHORT;
    size_t left = ys_reader_left(&reader);
    return take_hci(ys_get_bytes(&reader, left), left, record);
}

void ys_put_captured_air(struct ys_writer *writer, const struct ys_record *record)
{
    const struct ys_air_packet *air = &record->air;
    bool advertising = air->access_address == YS_LINK_ADVERTISING_ACCESS_ADDRESS;
    unsigned kind = air->side == YS_AIR_CENTRAL        ? KIND_FROM_CENTRAL
                    : air->side == YS_AIR_PERIPHERAL   ? KIND_FROM_PERIPHERAL
                    : advertising && air->channel < 37 ? KIND_AUXILIARY
                                                       : KIND_ADVERTISING;
    unsigned phy = air->phy == YS_PHY_1M ? 0 : air->phy == YS_PHY_2M ? 1 : 2;
    unsigned flags = FLAG_DEWHITENED | FLAG_REFERENCE | kind << KIND_SHIFT | phy << PHY_SHIFT |
                     ((record->known & YS_AIR_STRENGTH) != 0 ? FLAG_STRENGTH : 0) |
                     ((record->known & YS_AIR_CHANNEL) == 0 ? FLAG_ALIASED : 0) |
                     ((record->known & YS_AIR_PLAIN) != 0 ? FLAG_DECRYPTED : 0) |
                     ((record->known & YS_AIR_CRC) != 0 ? FLAG_CRC_CHECKED : 0) | (air->crc_good ? FLAG_CRC_GOOD : 0);
    if (kind == KIND_AUXILIARY && air->auxiliary > YS_AUXILIARY_ADV)
        flags |= (unsigned)(air->auxiliary - YS_AUXILIARY_ADV) << AUXILIARY_SHIFT;
    ys_put_u8(writer, frequency_of_channel(air->channel));
    ys_put_i8(writer, air->strength_dbm);
    ys_put_i8(writer, -128);
    ys_put_u8(writer, 0);
    ys_put_u32(writer, air->access_address);
    ys_put_u16(writer, (uint16_t)flags);
    ys_put_u32(writer, air->access_address);
    if (phy == 2)
        ys_put_u8(writer, air->phy == YS_PHY_CODED_S2);
    ys_put_bytes(writer, air->pdu, air->length);
    if ((record->known & YS_AIR_CUT) == 0)
        ys_put_u24(writer, ys_link_crc_turn(air->crc));
}

void ys_put_captured_direction(struct ys_writer *writer, bool to_host)
{
    ys_put_u24(writer, 0); /* in the order of the network */
    ys_put_u8(writer, to_host);
}
