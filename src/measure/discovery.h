/* How long until a scanner has found an advertiser, by calculation. */
#ifndef MEASURE_DISCOVERY_H
#define MEASURE_DISCOVERY_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

/* An advertiser whose event begins at the interval plus 0 to 10 ms, each delay as likely (Core 5.4 Vol 6 Part B
 * 4.4.2.2.1), and sends on its channels one after the other; and a scanner that listens in a window of each interval,
 * on 37, 38, 39 in turn (Vol 6 Part B 4.4.3). Neither knows of the other. The scan begins at time zero, with its window
 * on 37; or, with any phase, somebody begins to look at a scanner that has been running, at any time of it. */
struct ys_discovery {
    uint32_t interval_us; /* of the advertiser: 20 to 10,485,759 */
    uint32_t packet_us;   /* how long an advertisement is on the air */
    uint32_t known_us;    /* from the begin of an event until what its packets point to has come; 0: they say all */
    uint32_t spacing_us;  /* from the beginning of one packet to the next within an event */
    uint8_t channels;     /* bit 0: 37, bit 1: 38, bit 2: 39; at least one */
    uint32_t scan_interval_us; /* 2,500 to 40,960,000 */
    uint32_t scan_window_us;   /* at most that */
    bool any_phase;
    double lost;       /* the share of advertisements that a scanner gets wrong, 0 to less than 1; */
    double lost_known; /* the same of the packets that they point to */
};

/* What is expected of it. */
struct ys_discovery_expectation {
    double median_ms; /* negative: not within `limit_ms` */
    double p95_ms;
    double found; /* the share that is found within `limit_ms` */
};

/* Calculates the distribution of the time from the beginning of the scan to the end of the first advertisement that is
 * heard whole, to 0.1 ms, as far as `limit_ms`, at most 600,000; and the share within `within_ms`, which is no later,
 * as the function's value. Without memory the process ends. */
double ys_discovery_expect(const struct ys_discovery *discovery, double limit_ms, double within_ms,
                           struct ys_discovery_expectation *expectation);

/* The share of searches that succeed within each of these times, in milliseconds and ascending, at most 600,000. */
void ys_discovery_shares(const struct ys_discovery *discovery, const double *times_ms, double *shares, size_t count);

/* Packets that collide with other advertisers are lost: the share of packets that overlap with one of `count` others,
 * each of which sends a packet of this length on each channel, every interval plus 0 to 10 ms. */
double ys_collisions(uint32_t packet_us, uint32_t other_us, uint32_t other_interval_us, uint32_t count);

#endif
