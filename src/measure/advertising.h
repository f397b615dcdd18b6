/* What an advertiser does, measured from the air alone. */
#ifndef MEASURE_ADVERTISING_H
#define MEASURE_ADVERTISING_H

#include <stdbool.h>
#include <stdint.h>

#include <yarnswift/address.h>

#include "measure/samples.h"
#include "wire/air.h"
#include "wire/extended.h"

/* Kinds of packets of and to an advertiser: the legacy ones by their type, and those of extended advertising. */
enum ys_advertising_packet {
    YS_PACKET_EXT_IND = 7, /* on the primary channels; what it points to: */
    YS_PACKET_AUX_ADV_IND,
    YS_PACKET_AUX_SCAN_REQ,
    YS_PACKET_AUX_SCAN_RSP,
    YS_PACKET_AUX_CHAIN_IND,
    YS_PACKET_AUX_CONNECT_REQ,
    YS_PACKET_AUX_CONNECT_RSP,
    YS_ADVERTISING_TYPES
};

/* The greatest number of pending auxiliary packets; the oldest is forgotten. */
#define YS_POINTERS_MOST 32

/* A pending auxiliary packet, and the packets that point to it. */
struct ys_pointer {
    bool used;
    bool chained; /* after an auxiliary packet of the advertiser; otherwise from the primary channels: */
    uint8_t channel;
    enum ys_phy phy;
    uint8_t packets;
    uint8_t channels; /* as bits from 37 on */
    uint8_t last_channel;
    bool has_data_id;
    struct ys_link_data_id data_id;
    uint64_t from_ns; /* within a step from there it begins */
    uint64_t step_ns;
    uint64_t first_start_ns;
    uint64_t last_start_ns;
    uint64_t last_end_ns;
    uint64_t spacing_min_ns;
    uint64_t spacing_max_ns;
    uint64_t on_air_ns;
};

/* Why a device could not be found for a while. */
enum ys_silence {
    YS_SILENCE_EVENTS,    /* it is only the time between two events */
    YS_SILENCE_CONNECTED, /* a central connected */
    YS_SILENCE_STOPPED,   /* it stopped by itself: after its duration, or because its firmware wanted so */
    YS_SILENCE_MISSED     /* so many of its events may have been missed by who watched */
};

/* Measures one advertiser. All fields but the first seven and the results are private; zero the struct, then set those
 * seven. */
struct ys_advertising_meter {
    struct ys_address advertiser;
    bool anonymous;           /* it tells no address: what tells none is taken for it */
    uint64_t interval_max_ns; /* as set: what is longer by more than the random delay is a silence */
    /* of who watches and misses packets, from a watch before: */
    uint64_t interval_min_ns; /* as set */
    uint64_t joined;          /* connections whose requests were not heard */
    double missed_share;      /* of its packets, 0 to 1; 0: none */
    uint8_t channels;         /* that it uses, as bits from 37 on */
    bool running;             /* an event has been seen that the next one can be measured from */
    bool connected;           /* since the last event */
    bool seen;
    bool asked;             /* since the last packet */
    uint64_t last_start_ns; /* of an event */
    uint8_t event_channels; /* of the event that was begun last, as bits from 37 on */
    bool has_data_id;       /* of its last auxiliary packet */
    struct ys_link_data_id data_id;
    uint64_t others; /* packets of others since its last */
    uint64_t last_packet_ns;
    uint64_t last_end_ns;
    uint8_t last_channel;
    uint64_t answered_ns; /* end of the last request on an auxiliary channel */
    struct ys_pointer pointers[YS_POINTERS_MOST];
    size_t next_pointer;
    /* results */
    uint64_t events;
    struct ys_samples shorter_ms;   /* private: than it was set, which a request may have made so that was not heard */
    struct ys_samples intervals_ms; /* from the first packet of an event to that of the next */
    uint64_t spacing_min_ns;        /* from one packet to the next, within an event without a request */
    uint64_t spacing_max_ns;
    uint64_t spacings;
    uint64_t packets[YS_ADVERTISING_TYPES]; /* by kind, sent by it or to it */
    uint64_t requests;                      /* scan requests, on any channel, and how many were answered: */
    uint64_t responses;
    uint64_t known_ns;     /* extended: from the begin of an event to the end of the first packet that is pointed to; */
    enum ys_phy known_phy; /* on which this is sent, */
    uint16_t known_length; /* and the bytes of its PDU */
    uint64_t listens;      /* how many of its packets others may answer */
    uint64_t on_air_ns;    /* of what it has sent */
    uint64_t silence_ns;   /* the longest time without an advertisement of it */
    uint64_t silence_from_ns;
    enum ys_silence silence;
    uint64_t silence_others;   /* packets of others that were heard meanwhile */
    uint8_t channels_heard;    /* as bits from 37 on */
    uint64_t whole_events;     /* whose last packet was not followed by a connection; and how often: */
    uint64_t channels_in_them; /* they were heard on a channel, in all */
    uint64_t orphans;          /* events whose auxiliary packet did not come, though others of the same data did */
    uint64_t unmeasured;       /* intervals with a packet missing at an end of them */
    uint64_t missed;           /* events within those, about */
};

/* Takes a packet, in the order of time. A connection request to the advertiser ends a row of intervals; a new one
 * begins after it. */
void ys_advertising_meter_take(struct ys_advertising_meter *meter, const struct ys_air_packet *packet);

/* A packet other than advertising was heard, so the receiver worked. */
void ys_advertising_meter_other(struct ys_advertising_meter *meter);

/* The measurement ends: silences that have not ended yet are counted up to now. */
void ys_advertising_meter_end(struct ys_advertising_meter *meter, uint64_t now_ns);

/* The share of packets that the receiver missed, estimated from partly received events; 0 to 1. */
double ys_advertising_meter_missed(const struct ys_advertising_meter *meter);

void ys_advertising_meter_free(struct ys_advertising_meter *meter);

#endif
