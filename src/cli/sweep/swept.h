/* What is swept, and what comes of it: types. */
#ifndef CLI_SWEEP_SWEPT_H
#define CLI_SWEEP_SWEPT_H

#include "cli/shared/parameters.h"

#define SWEEP_VALUES_MOST 1000
#define SWEEP_POINTS_MOST 1000000

/* Values of one parameter, each as text. */
struct sweep_axis {
    const struct parameter *parameter;
    char (*values)[16];
    size_t count;
};

/* What is run: every combination of the values, the last axis fastest. */
struct sweep {
    struct ys_throughput_plan base;
    struct sweep_axis axes[32]; /* those with several values */
    size_t axis_count;
    size_t point_count;
};

/* What a point gave. */
struct sweep_result {
    bool known;
    double goodput_bps;
    double limit_bps;
    double ratio;
    double median_ms;
    double p95_ms;
    uint64_t retransmissions;
    bool trouble;
};

#endif
