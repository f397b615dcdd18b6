/* What holds a stream back. */
#ifndef EXPERIMENT_HINDRANCES_H
#define EXPERIMENT_HINDRANCES_H

#include "experiment/throughput_report.h"

/* A limit, and the goodput without it. */
struct ys_hindrance {
    const char *code; /* "interval", "packet_length", ... */
    char words[240];  /* what it is */
    char remedy[80];  /* what was tried instead */
    double goodput_bps;
};

#define YS_HINDRANCES_MOST 32

/* Runs it again without each thing that could hold it back; returns how many do, by more than 1 %, those with the
 * greatest effect first. */
size_t ys_throughput_explain(const struct ys_throughput_plan *plan, const struct ys_throughput_report *report,
                             struct ys_hindrance hindrances[YS_HINDRANCES_MOST]);

#endif
