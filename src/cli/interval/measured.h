/* The measurement of an advertiser, as it is passed to the printers. */
#ifndef CLI_INTERVAL_MEASURED_H
#define CLI_INTERVAL_MEASURED_H

#include "experiment/interval.h"

struct measured {
    const struct ys_design *design;
    struct ys_interval_report *report;
    const char *capture; /* where it was recorded; NULL: it was simulated */
    unsigned long long seed;
    unsigned long long runs; /* searches of each scanner */
};

/* The interval that the definition sets. */
static inline double interval_set_ms(const struct ys_design *design)
{
    return (double)design->sets->interval_min_us / 1000;
}

#endif
