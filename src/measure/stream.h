/* A stream of values: their number, latency, and bytes of value a second. */
#ifndef MEASURE_STREAM_H
#define MEASURE_STREAM_H

#include <stdint.h>

/* Zero it before its first use. */
struct ys_stream_meter {
    uint64_t count;
    uint64_t bytes;
    uint64_t first_ns;
    uint64_t last_ns;
    uint64_t first_bytes; /* of the first value, which begins the time and so is not in the rate */
};

/* Takes a value of `length` bytes that arrived at `at_ns`; in the order of time. */
void ys_stream_meter_take(struct ys_stream_meter *meter, uint64_t at_ns, uint64_t length);

/* Values a second, from the first to the last; 0 for fewer than two. */
double ys_stream_meter_rate_hz(const struct ys_stream_meter *meter);

/* Bits of value a second, likewise. */
double ys_stream_meter_goodput_bps(const struct ys_stream_meter *meter);

#endif
