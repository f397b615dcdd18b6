/* What a plan of a stream may say. */
#ifndef EXPERIMENT_THROUGHPUT_PLAN_H
#define EXPERIMENT_THROUGHPUT_PLAN_H

#include "experiment/throughput.h"

#define YS_PLAN_PACKET_MOST       251  /* bytes of data in a packet */
#define YS_PLAN_INTERVAL_LEAST_US 7500 /* between connection events */

/* What of a plan contradicts the standard or itself, in words with the range; false if something does. */
bool ys_throughput_check(const struct ys_throughput_plan *plan, char *text, size_t size);

/* The supervision timeout that goes with an interval and a latency; 0: there is none that the standard allows. */
uint16_t ys_throughput_timeout_ms(const struct ys_throughput_plan *plan);

#endif
