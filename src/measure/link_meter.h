/* Measures one connection from its packets on the air. */
#ifndef MEASURE_LINK_METER_H
#define MEASURE_LINK_METER_H

#include "wire/air.h"

/* One side of it. */
struct ys_link_side {
    uint64_t packets;
    uint64_t data_packets; /* that carry data, those sent again among them; and these: */
    uint64_t retransmissions;
    uint64_t on_air_ns;
    uint64_t events; /* in which it sent */
    bool any;        /* private, also the next: */
    bool in_event;
    bool sequence;
};

/* Measures one connection. Zero it and set the first field. Packets tell their side. */
struct ys_link_meter {
    uint32_t access_address;
    /* results */
    struct ys_link_side sides[2]; /* the central, the peripheral */
    uint64_t events;
    uint64_t events_ns;  /* from the first packet to the end of the last, of all of them together */
    uint64_t heard_ns;   /* of the central, in events in which the peripheral sent: it was there */
    uint64_t last_ns;    /* end of the last packet */
    uint64_t central_ns; /* private: of the central in this event, of which it is not known yet */
    uint64_t event_ns;   /* private: begin of the current event */
};

/* Takes a packet; in order of time. Those of others are passed over. */
void ys_link_meter_take(struct ys_link_meter *meter, const struct ys_air_packet *packet);

/* The same, for a caller that knows whether the packet begins an event and whether it is a retransmission, since
 * earlier packets may be missing. */
void ys_link_meter_take_as(struct ys_link_meter *meter, const struct ys_air_packet *packet, bool begins_event,
                           bool again);

/* The share of the time between the anchors that events took, 0 to 1; 0 of fewer than two. */
double ys_link_meter_used(const struct ys_link_meter *meter, uint32_t interval_us);

#endif
