/* PDUs of the link layer: legacy advertising and data channels, their CRC-24, their time on the air, and the channel
 * of a connection event (Core 5.4 Vol 6 Part B). */
#ifndef WIRE_LINK_H
#define WIRE_LINK_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include <yarnswift/address.h>
#include <yarnswift/bytes.h>

#define YS_LINK_ADVERTISING_ACCESS_ADDRESS 0x8e89bed6u
#define YS_LINK_ADVERTISING_CRC_INIT       0x555555u
#define YS_LINK_PDU_MAX                    257 /* header and payload */
#define YS_LINK_LEGACY_PDU_MAX             39  /* of advertising: header, address, 31 bytes of data */
#define YS_LINK_PAYLOAD_DEFAULT            27  /* data payload before any length update */
#define YS_LINK_PAYLOAD_MAX                251 /* data payload after one, without MIC */
#define YS_LINK_TIME_DEFAULT_US            328
#define YS_LINK_TIME_MAX_US                17040
#define YS_LINK_TIME_CODED_US              2704 /* what a coded packet may take in any case (Vol 6 Part B 4.5.10) */
#define YS_LINK_INTER_FRAME_SPACE_NS       UINT64_C(150000)

enum ys_phy { YS_PHY_1M, YS_PHY_2M, YS_PHY_CODED_S8, YS_PHY_CODED_S2 };

/* Types of legacy advertising PDUs (Vol 6 Part B 2.3). */
enum ys_link_advertising_type {
    YS_LINK_ADV_IND = 0,
    YS_LINK_ADV_DIRECT_IND = 1,
    YS_LINK_ADV_NONCONN_IND = 2,
    YS_LINK_SCAN_REQ = 3,
    YS_LINK_SCAN_RSP = 4,
    YS_LINK_CONNECT_IND = 5,
    YS_LINK_ADV_SCAN_IND = 6
};

/* What a CONNECT_IND carries after the addresses (Vol 6 Part B 2.3.3.1). */
struct ys_link_connect {
    uint32_t access_address;
    uint32_t crc_init;
    uint8_t window_size;    /* 1.25 ms */
    uint16_t window_offset; /* 1.25 ms */
    uint16_t interval;      /* 1.25 ms */
    uint16_t latency;
    uint16_t timeout; /* 10 ms */
    uint8_t channel_map[5];
    uint8_t hop;            /* 5 to 16 */
    uint8_t clock_accuracy; /* 0 to 7 */
};

/* A legacy advertising PDU. `sender` is AdvA, ScanA or InitA; `target` is TargetA or AdvA where there is one. */
struct ys_link_advertising {
    uint8_t type;
    bool channel_selection_2;
    struct ys_address sender;
    struct ys_address target;
    const uint8_t *data; /* into the bytes it was read from */
    uint8_t length;      /* of `data`: 0 to 31 */
    struct ys_link_connect connect;
};

/* The kinds of a data PDU (Vol 6 Part B 2.4). */
enum ys_link_kind { YS_LINK_CONTINUING = 1, YS_LINK_FIRST = 2, YS_LINK_CONTROL = 3 };

/* A data PDU. */
struct ys_link_data {
    uint8_t kind; /* enum ys_link_kind; an empty YS_LINK_CONTINUING is an empty PDU */
    bool next_expected;
    bool sequence;
    bool more;
    const uint8_t *payload;
    uint8_t length;
};

/* A message integrity check: after the payload of every encrypted data PDU that is not empty. */
#define YS_LINK_MIC_SIZE 4

/* Reads a PDU from its header on; false if it is malformed in any way that the standard names. */
bool ys_link_advertising_decode(const uint8_t *bytes, size_t length, struct ys_link_advertising *pdu);
void ys_put_link_advertising(struct ys_writer *writer, const struct ys_link_advertising *pdu);
bool ys_link_data_decode(const uint8_t *bytes, size_t length, struct ys_link_data *pdu);
void ys_put_link_data(struct ys_writer *writer, const struct ys_link_data *pdu);

/* CRC-24 over a PDU, header included (Vol 6 Part B 3.1.1). Bit 0 of the result is the last in the standard's register.
 */
uint32_t ys_link_crc(uint32_t init, const uint8_t *bytes, size_t length);

/* The value from which that CRC of a PDU has begun. */
uint32_t ys_link_crc_init(uint32_t crc, const uint8_t *bytes, size_t length);

/* A CRC as the three bytes that are on the air, the lowest first, each with its first bit lowest; and back. */
uint32_t ys_link_crc_turn(uint32_t crc);

/* Goes on with a CRC, in the order of the air, over more bytes. */
uint32_t ys_link_crc_go_on(uint32_t crc, const uint8_t *bytes, size_t length);

/* How long a PDU of `length` bytes, header included, is on the air, with preamble, access address and CRC. */
uint64_t ys_link_duration_ns(enum ys_phy phy, size_t length);

/* Whether it is one of the two ways to send on LE Coded, which one receiver hears alike. */
static inline bool ys_phy_is_coded(enum ys_phy phy)
{
    return phy == YS_PHY_CODED_S8 || phy == YS_PHY_CODED_S2;
}

/* The longest payload, MIC included, with which a packet is no longer on the air than that; at most 255. */
uint8_t ys_link_payload_within(enum ys_phy phy, uint64_t duration_ns);

/* The longest data in a packet of which so many octets and so much time were agreed: the MIC has its room in that time,
 * whether there is one or not (Vol 6 Part B 4.5.10). */
uint8_t ys_link_payload_agreed(enum ys_phy phy, uint16_t octets, uint16_t us);

/* How long a packet may be on the air, of the time that was agreed: on LE Coded always 2,704 us, and more as far as the
 * interval leaves room for the shortest that the other side may have to send (Vol 6 Part B 4.5.10). */
uint16_t ys_link_time_us(enum ys_phy phy, enum ys_phy other, uint32_t interval_us, uint16_t agreed_us);

/* How many channels of a map are used. */
uint8_t ys_link_channel_count(const uint8_t channel_map[5]);

/* The data channel, 0 to 36, of a connection event by channel selection algorithm #1 (Vol 6 Part B 4.5.8.2):
 * `last_unmapped` moves by `hop` and is then mapped onto the used channels. At least one channel of the map must be
 * used. */
uint8_t ys_link_next_channel(uint8_t *last_unmapped, uint8_t hop, const uint8_t channel_map[5]);

/* The number by which algorithm #2 chooses the channel of connection event `counter` (Vol 6 Part B 4.5.8.3): its
 * remainder by 37 is the channel, if that is used. */
uint16_t ys_link_event_number(uint32_t access_address, uint16_t counter);

/* The data channel of connection event `counter` by channel selection algorithm #2 (Vol 6 Part B 4.5.8.3), which needs
 * no memory. */
uint8_t ys_link_event_channel(uint32_t access_address, uint16_t counter, const uint8_t channel_map[5]);

/* Whether the parameters of a connection are within the standard: interval 6 to 3200, latency 0 to 499, timeout 10
 * to 3200 and longer than (1 + latency) x interval x 2 (Vol 6 Part B 4.5.1, 4.5.2). */
bool ys_link_parameters_are_valid(uint16_t interval, uint16_t latency, uint16_t timeout);

#endif
