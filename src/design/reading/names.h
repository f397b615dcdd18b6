/* Names in a definition, as they are read. */
#ifndef DESIGN_READING_NAMES_H
#define DESIGN_READING_NAMES_H

#include "design/model/model.h"
#include "design/reading/yaml.h"

/* A list of services by name, such as an advertisement promises or a service includes. */
void ys_read_promises(const struct ys_node *node, struct ys_promise **list, size_t *count);

/* Reads a name, and makes its C identifier; both are the caller's. The first of two counts. */
void ys_read_name(const struct ys_node *node, char **name, char **id);

#endif
