/* What was on the air: the one record that the simulated radio makes, that capture files will hold, and that
 * everything which looks at traffic reads. */
#ifndef WIRE_AIR_H
#define WIRE_AIR_H

#include <stdbool.h>
#include <stdint.h>

#include "wire/link.h"

/* A sender that is not known. */
#define YS_AIR_UNKNOWN_SENDER 0

/* Which end of a connection has sent a packet of it. */
enum ys_air_side { YS_AIR_SIDE_UNKNOWN, YS_AIR_CENTRAL, YS_AIR_PERIPHERAL };

/* Which kind an auxiliary packet of extended advertising is. Only its sender knows, or who follows what points to it.
 */
enum ys_auxiliary {
    YS_AUXILIARY_NOT, /* it is none, or it is not known */
    YS_AUXILIARY_ADV,
    YS_AUXILIARY_CHAIN,
    YS_AUXILIARY_SYNC,
    YS_AUXILIARY_SCAN_RSP
};

struct ys_air_packet {
    uint64_t start_ns;    /* first bit of the preamble */
    uint64_t duration_ns; /* to the last bit of the CRC */
    uint8_t channel;      /* 0 to 39, as the link layer counts */
    enum ys_phy phy;
    uint32_t access_address;
    int8_t strength_dbm;
    bool crc_good;
    bool overlapped;   /* another transmission was on the same channel meanwhile */
    uint8_t side;      /* enum ys_air_side, of a packet of a connection */
    uint8_t auxiliary; /* enum ys_auxiliary, if that is known */
    uint32_t sender;   /* number of the sender, or YS_AIR_UNKNOWN_SENDER */
    uint16_t length;   /* of `pdu` */
    uint32_t crc;      /* as sent */
    uint8_t pdu[YS_LINK_PDU_MAX];
};

#endif
