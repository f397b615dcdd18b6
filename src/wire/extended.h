/* Extended advertising PDUs: what is on the primary channels, what it points to on the others, and the chain after it
 * (Core 5.4 Vol 6 Part B 2.3.4). */
#ifndef WIRE_EXTENDED_H
#define WIRE_EXTENDED_H

#include "wire/link.h"

/* Their types (Vol 6 Part B 2.3). Which of the first kind it is follows from where it is and what it holds. */
enum ys_link_extended_type {
    YS_LINK_ADV_EXTENDED = 7, /* ADV_EXT_IND, AUX_ADV_IND, AUX_SCAN_RSP, AUX_CHAIN_IND */
    YS_LINK_CONNECT_RSP = 8   /* AUX_CONNECT_RSP */
};

/* What others may do with it (Vol 6 Part B 2.3.4.1). */
enum ys_link_mode { YS_LINK_MODE_NEITHER = 0, YS_LINK_MODE_CONNECTABLE = 1, YS_LINK_MODE_SCANNABLE = 2 };

/* Where and when the next PDU of the same event begins (Vol 6 Part B 2.3.4.5): `offset_us` after the first bit of this
 * one or within a step from there. Steps are of 30 us up to 245,730, else of 300 up to 2,457,300. */
struct ys_link_aux {
    uint8_t channel; /* 0 to 36 */
    bool accurate;   /* the sender's clock keeps 50 ppm or better */
    uint8_t phy;     /* enum ys_phy; coded is YS_PHY_CODED_S8 */
    uint32_t offset_us;
};

/* Which set, and which version of its data (Vol 6 Part B 2.3.4.4). */
struct ys_link_data_id {
    uint8_t set;      /* 0 to 15 */
    uint16_t version; /* 0 to 4095 */
};

/* An extended PDU. What is not there is so marked. */
struct ys_link_extended {
    uint8_t type;
    uint8_t mode; /* enum ys_link_mode */
    bool has_sender;
    bool has_target;
    bool has_data_id;
    bool has_aux;
    bool has_power;
    int8_t power_dbm;
    struct ys_address sender;
    struct ys_address target;
    struct ys_link_data_id data_id;
    struct ys_link_aux aux;
    const uint8_t *data; /* into the bytes it was read from */
    uint8_t length;      /* of `data` */
};

#define YS_LINK_EXTENDED_MAX 255 /* bytes of payload */

/* The least from the end of a packet to the begin of the one that it points to (Vol 6 Part B 4.1.3). */
#define YS_LINK_AUX_SPACE_NS UINT64_C(300000)

/* Reads a PDU from its header on; false if it is malformed. What is not kept (sync, constant tone, other controller
 * data) is skipped. */
bool ys_link_extended_decode(const uint8_t *bytes, size_t length, struct ys_link_extended *pdu);

/* Puts one; `length` must fit with its header into YS_LINK_EXTENDED_MAX. */
void ys_put_link_extended(struct ys_writer *writer, const struct ys_link_extended *pdu);

/* How many bytes of data fit after the header of this one. */
size_t ys_link_extended_room(const struct ys_link_extended *pdu);

/* How long `length` bytes of data take on auxiliary channels, from the end of what points to them to the end of the
 * last packet of the chain: `first` is the first one without data and pointer. */
uint64_t ys_link_chain_ns(enum ys_phy phy, const struct ys_link_extended *first, size_t length);

/* `offset_ns` as it can be said in a pointer: the step that it lies in. */
uint32_t ys_link_aux_offset_us(uint64_t offset_ns);

/* How long the step is within which the PDU at this offset begins. */
uint32_t ys_link_aux_step_us(uint32_t offset_us);

#endif
