/* What an advertiser does, measured from the air alone. */
#ifndef MEASURE_ADVERTISING_H
#define MEASURE_ADVERTISING_H

#include <stdbool.h>
#include <stdint.h>

#include <yarnswift/address.h>

#include "measure/samples.h"
#include "wire/air.h"

/* Types of legacy advertising PDUs. */
#define YS_ADVERTISING_TYPES 7

/* Why a device could not be found for a while. */
enum ys_silence {
    YS_SILENCE_EVENTS,    /* it is only the time between two events */
    YS_SILENCE_CONNECTED, /* a central connected */
    YS_SILENCE_STOPPED    /* it stopped by itself: after its duration, or because its firmware wanted so */
};

/* Watches one advertiser. Fields are private but for the results; zero it but for the first two. */
struct ys_advertising_meter {
    struct ys_address advertiser;
    uint64_t interval_max_ns; /* as set: what is longer by more than the random delay is a silence */
    bool running;             /* an event has been seen that the next one can be measured from */
    bool connected;           /* since the last event */
    bool seen;
    bool asked;             /* since the last packet */
    uint64_t last_start_ns; /* of an event */
    uint64_t last_packet_ns;
    uint64_t last_end_ns;
    uint8_t last_channel;
    /* results */
    uint64_t events;
    struct ys_samples intervals_ms; /* from the first packet of an event to that of the next */
    uint64_t spacing_min_ns;        /* from one packet to the next, within an event without a request */
    uint64_t spacing_max_ns;
    uint64_t spacings;
    uint64_t packets[YS_ADVERTISING_TYPES]; /* by type, sent by it or to it */
    uint64_t on_air_ns;                     /* of what it has sent */
    uint64_t silence_ns;                    /* the longest time without an advertisement of it */
    uint64_t silence_from_ns;
    enum ys_silence silence;
};

/* Takes a packet; in order of time. A connection request to the advertiser ends a row of intervals: what comes after
 * begins a new one. */
void ys_advertising_meter_take(struct ys_advertising_meter *meter, const struct ys_air_packet *packet);

/* The watch is over: what has been silent until now has been so for that long. */
void ys_advertising_meter_end(struct ys_advertising_meter *meter, uint64_t now_ns);

void ys_advertising_meter_free(struct ys_advertising_meter *meter);

#endif
