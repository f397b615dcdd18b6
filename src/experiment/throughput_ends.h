/* The hosts of a run, and how they are set up. */
#ifndef EXPERIMENT_THROUGHPUT_ENDS_H
#define EXPERIMENT_THROUGHPUT_ENDS_H

#include "experiment/throughput_run.h"

/* The value has the handle that it has in the definition's table, so that captures tell which it is; what lies before
 * are empty services. Its client configuration is behind it. False if there is no memory. */
bool ys_ends_make_table(struct link_run *link);

/* Makes the host of a device, or with NULL that of the central, and starts it; false if it cannot be. */
bool ys_ends_begin(struct run *run, struct end *end, struct link_run *link);

/* Connects a device and the central, and sets up all that the plan wants before anything flows. False, and why in the
 * report, if that does not come about. */
bool ys_ends_connect(struct link_run *link);

#endif
