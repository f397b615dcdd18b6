/* The registered link types of Bluetooth LE and HCI: the header before each packet in a capture file. */
#ifndef CAPTURE_LINK_TYPES_H
#define CAPTURE_LINK_TYPES_H

#include "capture/record.h"

enum ys_link_type {
    YS_LINK_TYPE_HCI = 187,                /* an HCI packet with its type, without a direction */
    YS_LINK_TYPE_HCI_WITH_DIRECTION = 201, /* and a direction before it */
    YS_LINK_TYPE_AIR = 251,                /* access address, PDU, CRC */
    YS_LINK_TYPE_HCI_MONITORED = 254,      /* adapter and kind, then the packet without its type */
    YS_LINK_TYPE_AIR_WITH_HEADER = 256     /* channel, strength, flags, then as 251 */
};

/* Whether records of it can be read. */
bool ys_link_type_is_known(uint32_t type);

/* The longest that is put before a packet, and with a packet on the air. */
#define YS_LINK_TYPE_HEADER_MAX 10
#define YS_LINK_TYPE_AIR_MAX    (YS_LINK_TYPE_HEADER_MAX + 4 + 1 + YS_LINK_PDU_MAX + 3)

/* What came of reading one. */
enum ys_unpacked {
    YS_UNPACKED,
    YS_UNPACKED_OTHER, /* it holds something else than a packet: passed over */
    YS_UNPACKED_SHORT  /* it is too short to be one */
};

/* Reads `length` bytes of a record of this type into `record`, which has its time, but not its CRC's verdict where
 * nothing tells of it. Bytes of HCI are pointed to; where their type is missing, it is put into `scratch`, which is of
 * `length` bytes and one. */
enum ys_unpacked ys_link_type_unpack(uint32_t type, const uint8_t *bytes, size_t length, uint8_t *scratch,
                                     struct ys_record *record);

/* Puts a packet on the air as YS_LINK_TYPE_AIR_WITH_HEADER. */
void ys_put_captured_air(struct ys_writer *writer, const struct ys_record *record);

/* Writes the header of an HCI packet of YS_LINK_TYPE_HCI_WITH_DIRECTION. */
void ys_put_captured_direction(struct ys_writer *writer, bool to_host);

#endif
