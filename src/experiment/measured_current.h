/* A measured current, and what it is of. */
#ifndef EXPERIMENT_MEASURED_CURRENT_H
#define EXPERIMENT_MEASURED_CURRENT_H

#include "design/model/model.h"
#include "measure/phases.h"

#define YS_CURRENT_PROBLEM 300

struct ys_current_trace {
    double *times_s;
    double *currents_ma;
    size_t count;
    double seconds;
    double step_us;
};

/* Reads a table of two columns. False, and why, if it is none, if its times do not ascend by equal steps, or if there
 * is no memory; up to 50 million values are taken. */
bool ys_current_read(const char *path, struct ys_current_trace *trace, char problem[YS_CURRENT_PROBLEM]);
void ys_current_free(struct ys_current_trace *trace);

/* The way to advertise with a name, or the first; NULL if there is none. */
const struct ys_advertisement *ys_current_set(const struct ys_design *design, const char *name);

/* Of what its events are. */
struct ys_phase_shape ys_current_shape(const struct ys_design *design, const struct ys_advertisement *set);

#endif
