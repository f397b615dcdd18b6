/* Scanners: how they listen, and the names for that. */
#ifndef MEASURE_SCANNER_H
#define MEASURE_SCANNER_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

/* The parameters of a scanner: 37, 38, 39 in turn, in a window of each interval (Vol 6 Part B 4.4.3). */
struct ys_scanner {
    const char *name;
    uint32_t window_us; /* 2.5 ms to the interval, both in steps of 0.625 ms */
    uint32_t interval_us;
};

/* Presets, named by the share of time that they listen. */
extern const struct ys_scanner ys_scanners[];
extern const size_t ys_scanner_count;

/* A preset, or "WINDOW of INTERVAL" such as "30 ms of 100 ms"; `text` must outlive it. False if it is neither. */
bool ys_scanner_of(const char *text, struct ys_scanner *scanner);

#endif
