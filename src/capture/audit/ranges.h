/* What the standard bounds. */
#ifndef CAPTURE_AUDIT_RANGES_H
#define CAPTURE_AUDIT_RANGES_H

#include <stdbool.h>
#include <stdint.h>

#include "wire/link.h"

/* How far apart two times are. */
static inline uint64_t audit_distance(uint64_t a, uint64_t b)
{
    return a > b ? a - b : b - a;
}

/* Whether parameters of a connection are within the standard's ranges, together. */
static inline bool audit_parameters_fit(uint16_t interval, uint16_t latency, uint16_t timeout)
{
    return interval >= 6 && interval <= 3200 && latency <= 499 && timeout >= 10 && timeout <= 3200 &&
           timeout * 8u > (1u + latency) * interval * 2u;
}

/* "1M", "2M" or "coded", whose two rates cannot always be told apart. */
const char *audit_phy_word(enum ys_phy phy);

/* Whether an access address has three ones in its lowest eight bits, and at most eleven changes in its lowest sixteen
 * (Vol 6 Part B 2.1.2). */
bool audit_address_fits_coded(uint32_t address);

/* Whether a channel map has two channels or more, and none above 36. */
bool audit_map_is_good(const uint8_t map[5]);

/* Whether window and offset go with an interval, in 1.25 ms. */
bool audit_window_is_good(uint8_t size, uint16_t offset, uint16_t interval);

#endif
