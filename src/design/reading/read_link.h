/* The keys of what a device asks of its connections. */
#ifndef DESIGN_READING_READ_LINK_H
#define DESIGN_READING_READ_LINK_H

#include "design/reading/yaml.h"

/* What it asks of its connections. Target: struct ys_design. */
extern const struct ys_kind ys_kind_link;

void ys_read_link(const struct ys_node *node, void *target);

#endif
