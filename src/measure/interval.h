/* The advertising interval, measured from the air alone. */
#ifndef MEASURE_INTERVAL_H
#define MEASURE_INTERVAL_H

#include <stdbool.h>
#include <stdint.h>

#include <yarnswift/address.h>

#include "wire/air.h"

/* Watches one advertiser. Fields are private but for the results. */
struct ys_interval_meter {
    struct ys_address advertiser;
    bool running; /* an event has been seen that the next one can be measured from */
    uint64_t last_start_ns;
    uint8_t last_channel;
    /* results */
    uint64_t events;
    uint64_t intervals;
    uint64_t min_ns;
    uint64_t max_ns;
    uint64_t sum_ns;
};

struct ys_interval_meter ys_interval_meter_of(const struct ys_address *advertiser);

/* Takes a packet; in order of time. An interval is the time from the first packet of an advertising event to that of
 * the next. A connection request to the advertiser ends the row: what comes after begins a new one. */
void ys_interval_meter_take(struct ys_interval_meter *meter, const struct ys_air_packet *packet);

/* The mean in nanoseconds, or 0 before the first interval. */
double ys_interval_meter_mean_ns(const struct ys_interval_meter *meter);

#endif
