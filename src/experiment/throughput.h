/* A stream over a connection: its goodput, and what limits it. */
#ifndef EXPERIMENT_THROUGHPUT_H
#define EXPERIMENT_THROUGHPUT_H

#include "experiment/throughput_plan.h"
#include "experiment/throughput_report.h"

/* Runs it. False if there is no memory. */
bool ys_throughput_run(const struct ys_throughput_plan *plan, struct ys_throughput_report *report);

#endif
