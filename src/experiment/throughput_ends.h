/* The hosts of a run, and how they are set up. */
#ifndef EXPERIMENT_THROUGHPUT_ENDS_H
#define EXPERIMENT_THROUGHPUT_ENDS_H

#include "experiment/throughput_run.h"

/* The value has the handle of the definition's table, so that captures show its name; the attributes before it are
 * empty services. Its CCCD follows it. False if there is no memory. */
bool ys_ends_make_table(struct link_run *link);

/* Makes the host of a device, or with NULL that of the central, and starts it; false if it cannot be. */
bool ys_ends_begin(struct run *run, struct end *end, struct link_run *link);

/* Connects a device and the central, and sets up the parameters of the plan. False, with the reason in the report, if
 * that fails. */
bool ys_ends_connect(struct link_run *link);

#endif
