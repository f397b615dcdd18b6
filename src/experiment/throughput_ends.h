/* The two hosts of a run, and how they are set up. */
#ifndef EXPERIMENT_THROUGHPUT_ENDS_H
#define EXPERIMENT_THROUGHPUT_ENDS_H

#include "experiment/throughput_run.h"

/* The value has the handle that it has in the definition's table, so that captures tell which it is; what lies before
 * are empty services. Its client configuration is behind it. False if there is no memory. */
bool ys_ends_make_table(struct run *run);

/* Makes a host, and starts it; false if it cannot be. */
bool ys_ends_begin(struct run *run, struct end *end, uint16_t number);

/* Connects them, and sets up all that the plan wants before anything flows. False, and why in the report, if that does
 * not come about. */
bool ys_ends_connect(struct run *run);

#endif
