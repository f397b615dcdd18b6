/* Whether a device advertises as its definition expects. */
#ifndef EXPERIMENT_VERDICT_H
#define EXPERIMENT_VERDICT_H

#include "experiment/interval.h"

/* Whether an expectation of the definition is met. */
struct ys_verdict {
    bool met;
    bool unknown; /* a capture cannot tell */
    char expected[160];
    char measured[160];
    char advice[240]; /* what to change; "" if it is met */
};

/* Whether an expectation is about the way to advertise that is measured, the first of the design. */
bool ys_interval_concerns(const struct ys_design *design, const struct ys_expectation *expectation);

/* Judges one; a scanner that it names must have been among those of the run. */
void ys_interval_judge(const struct ys_design *design, const struct ys_expectation *expectation,
                       struct ys_interval_report *report, struct ys_verdict *verdict);

#endif
