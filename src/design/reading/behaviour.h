/* The keys of behaviour: what the application does. Targets: struct ys_design. */
#ifndef DESIGN_READING_BEHAVIOUR_H
#define DESIGN_READING_BEHAVIOUR_H

#include "design/reading/yaml.h"

extern const struct ys_kind ys_kind_behaviours;

void ys_read_behaviours(const struct ys_node *node, void *target);

#endif
