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

#include "measure/shape.h"

/* What it can carry. */
struct ys_link_limit {
    double goodput_bps; /* bits of value a second */
    double back_bps;    /* the same of the other side */
    double error;       /* the standard error of these, in parts of them; 0: they are exact */
    double error_of_1s; /* the same of what a connection carries in a second, by chance */
    double frames_hz;
    double exchanges;       /* with data, in an event, in the mean */
    double used;            /* the share of the interval that they take, to the end of the last packet */
    uint16_t packets;       /* to a frame */
    uint16_t cycle;         /* after so many events they repeat */
    uint8_t packet_length;  /* that are carried by one: fewer than agreed on LE Coded with a short interval */
    uint64_t exchange_ns;   /* of a full packet */
    uint64_t event_room_ns; /* from an anchor to the end of the last packet, at the most */
};

/* Calculates it: exactly where one side streams and nothing is lost or waits for an answer; otherwise by a walk. */
void ys_link_limit(const struct ys_link_shape *shape, struct ys_link_limit *limit);

/* With which length of packets, from 27 to 251, each filled by a frame of its own, a connection with bit errors carries
 * the most; and how much that is. */
uint8_t ys_link_best_length(const struct ys_link_shape *shape, double *goodput_bps);

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
