/* The keys of a way to advertise. */
#ifndef DESIGN_READING_ADVERTISING_H
#define DESIGN_READING_ADVERTISING_H

#include <stdbool.h>
#include <stdint.h>

#include "design/reading/yaml.h"

/* One way to advertise. Target: struct ys_advertisement. */
extern const struct ys_mapping ys_advertisement_mapping;

/* One time, or the least and the greatest, in microseconds; false, after a finding, if it is neither. */
extern const struct ys_kind ys_kind_interval;

bool ys_read_interval(const struct ys_node *node, uint64_t ends[2]);

#endif
