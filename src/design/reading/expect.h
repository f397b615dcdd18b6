/* The keys of what is expected on the air. Targets: struct ys_design. */
#ifndef DESIGN_READING_EXPECT_H
#define DESIGN_READING_EXPECT_H

#include "design/reading/yaml.h"

extern const struct ys_kind ys_kind_expectations;

void ys_read_expectations(const struct ys_node *node, void *target);

#endif
