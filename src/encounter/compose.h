/* Composes encounters as scenes, with the expected result of each step by the definition. */
#ifndef ENCOUNTER_COMPOSE_H
#define ENCOUNTER_COMPOSE_H

#include "encounter/encounter.h"

/* Makes one; the same choice and seed give the same. */
struct ys_encounter *ys_encounter_new(const struct ys_subject *subject, const struct ys_choice *choice, uint64_t seed);

#endif
