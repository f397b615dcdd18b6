/* What a definition says of what it looks for: the keys of `scanning`. */
#ifndef DESIGN_READING_READ_SCANNING_H
#define DESIGN_READING_READ_SCANNING_H

#include "design/reading/yaml.h"

extern const struct ys_kind ys_kind_scanning;
void ys_read_scanning(const struct ys_node *node, void *target);

#endif
