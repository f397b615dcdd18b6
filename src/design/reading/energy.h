/* The keys of what the hardware draws. Target: struct ys_design. */
#ifndef DESIGN_READING_ENERGY_H
#define DESIGN_READING_ENERGY_H

#include "design/reading/yaml.h"

extern const struct ys_kind ys_kind_energy;

void ys_read_energy(const struct ys_node *node, void *target);

#endif
