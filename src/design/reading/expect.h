/* The keys of what the hardware draws, and of what is expected on the air. Targets: struct ys_design. */
#ifndef DESIGN_READING_EXPECT_H
#define DESIGN_READING_EXPECT_H

#include "design/reading/yaml.h"

/* What the hardware draws, and what is expected on the air. Targets: struct ys_design. */
extern const struct ys_kind ys_kind_energy;

extern const struct ys_kind ys_kind_expectations;

void ys_read_energy(const struct ys_node *node, void *target);

void ys_read_expectations(const struct ys_node *node, void *target);

#endif
