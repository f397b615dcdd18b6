/* The shape of a connection. */
#ifndef MEASURE_SHAPE_H
#define MEASURE_SHAPE_H

#include <stdbool.h>
#include <stdint.h>

#include "wire/link.h"

/* The shape of a connection, and of what is streamed over it. */
struct ys_link_shape {
    enum ys_phy data_phy;     /* of the side that streams */
    enum ys_phy answer_phy;   /* of the other */
    uint32_t interval_us;     /* 7,500 to 4,000,000 */
    uint32_t event_length_us; /* an event is over after that; 0: only before the next one */
    uint8_t packet_length;    /* of data, agreed: 27 to 251 */
    bool encrypted;
    bool by_central;           /* the central streams; otherwise the peripheral */
    bool confirmed;            /* each frame waits for an answer to the one before: indications, writes with response */
    uint16_t value_bytes;      /* of a value in a frame: 1 to 65,535 */
    uint16_t frame_bytes;      /* the whole frame, with the headers of ATT and L2CAP; not less */
    uint8_t exchanges_most;    /* in an event; 0: as many as there is time for */
    uint16_t latency;          /* events that the peripheral may leave out */
    uint16_t back_value_bytes; /* of values that the other side streams at the same time; 0: it only acknowledges */
    uint16_t back_frame_bytes;
    uint32_t turn_us[2]; /* confirmed: from a frame until the answer of its host, of the central and the peripheral */
    /* what is lost; nothing of it: 0 */
    double loss;         /* the share of packets that arrive with a wrong CRC, 0 to less than 1 */
    double bit_errors;   /* the share of bits that are wrong, 0 to 0.01 */
    bool at_margin;      /* by the strength at which packets arrive, */
    double margin_db[2]; /* those of the side that streams, and of the other: see errors.h */
    double s8_gain_db;   /* by how much S=8 needs less than S=2 */
};

#endif
