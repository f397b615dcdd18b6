/* What a connection can carry, by calculation: from its parameters alone, without a simulation.
 *
 * One side streams, the other acknowledges with empty packets. An exchange is a packet and its acknowledgement, each
 * followed by T_IFS; a connection event holds as many whole exchanges as leave the last packet T_IFS before the next
 * anchor (Core 5.4 Vol 6 Part B 4.5.1, 4.5.6). Frames of L2CAP are cut into packets of the agreed length, the last of
 * which is shorter. Nothing else is on the air. */
#ifndef MEASURE_THROUGHPUT_H
#define MEASURE_THROUGHPUT_H

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
    bool by_central;      /* the central streams; otherwise the peripheral */
    bool confirmed;       /* each frame waits for an answer to the one before: indications, writes with response */
    uint16_t value_bytes; /* of a value in a frame: 1 to 65,535 */
    uint16_t frame_bytes; /* the whole frame, with the headers of ATT and L2CAP; not less */
    double loss;          /* the share of packets that arrive with a wrong CRC, 0 to less than 1 */
};

/* What it can carry. */
struct ys_link_limit {
    double goodput_bps; /* bits of value a second */
    double frames_hz;
    double exchanges;       /* with data, in an event, in the mean */
    double used;            /* the share of the interval that they take, to the end of the last packet */
    uint16_t packets;       /* to a frame */
    uint16_t cycle;         /* after so many events they repeat */
    uint8_t packet_length;  /* that are carried by one: fewer than agreed on LE Coded with a short interval */
    uint64_t exchange_ns;   /* of a full packet */
    uint64_t event_room_ns; /* from an anchor to the end of the last packet, at the most */
};

/* Calculates it. Exact without loss. With loss it is the expectation: exact if all packets of a frame are of one
 * length, and close to it otherwise, since then the mean length stands for all. */
void ys_link_limit(const struct ys_link_shape *shape, struct ys_link_limit *limit);

/* How many bytes a frame with an ATT value of that length has, for a notification, an indication, a command or a
 * request to write: 3 bytes of ATT and 4 of L2CAP (Vol 3 Part F 3.4.5, 3.4.7; Vol 3 Part A 3.1). */
uint16_t ys_link_att_frame(uint16_t value_bytes);

/* How long a single value takes from when it has changed until it is received, if nothing else is on its way: it waits
 * for the next event, at any time since the last one with the same likelihood. */
struct ys_link_latency {
    double median_ms;
    double p95_ms;
    double max_ms;
};

/* `latency` is that of the connection, which only counts if the central streams: the peripheral need not listen. No
 * loss. */
void ys_link_expect_latency(const struct ys_link_shape *shape, uint16_t latency, struct ys_link_latency *expected);

/* The link budget. `loss_at_1m_db` and `exponent` are those of the place: the loss over a distance is
 * loss_at_1m + 10 x exponent x log10(distance). */
struct ys_link_budget {
    double power_dbm;
    double loss_at_1m_db;
    double exponent;
    double distance_m;
    double sensitivity_dbm;
};

/* How strong it arrives; and by how much that is more than the receiver needs. */
double ys_link_strength_dbm(const struct ys_link_budget *budget);
double ys_link_margin_db(const struct ys_link_budget *budget);

#endif
