/* A stream over a connection: how fast it goes, and how far that is from what the link can carry. */
#ifndef EXPERIMENT_THROUGHPUT_H
#define EXPERIMENT_THROUGHPUT_H

#include "experiment/throughput_plan.h"
#include "experiment/throughput_report.h"

/* Runs it. False if there is no memory. */
bool ys_throughput_run(const struct ys_throughput_plan *plan, struct ys_throughput_report *report);

#endif
