/* The order in which aspects are combined, so that every pair of values occurs early. */
#ifndef ENCOUNTER_PLAN_H
#define ENCOUNTER_PLAN_H

#include "encounter/aspects.h"

struct ys_plan;

/* What one encounter is made of. */
struct ys_choice {
    uint64_t number; /* from 1 */
    uint16_t values[YS_ASPECTS];
};

/* The plan of a seed, which is the same wherever it is made. The subject must outlive it. */
struct ys_plan *ys_plan_new(const struct ys_subject *subject, uint64_t seed);
void ys_plan_free(struct ys_plan *plan);

/* The next encounter; there always is one. Pairs that have not met come first, then triples, then chance. */
struct ys_choice ys_plan_next(struct ys_plan *plan);

/* The number of pairs of values of two aspects, and how many have occurred; and the same for triples. */
struct ys_covered {
    size_t pairs;
    size_t all_pairs;
    size_t triples;
    size_t all_triples;
};
struct ys_covered ys_plan_covered(const struct ys_plan *plan);

/* The same of two aspects. */
void ys_plan_covered_of(const struct ys_plan *plan, enum ys_aspect one, enum ys_aspect other, size_t *met, size_t *all);

#endif
