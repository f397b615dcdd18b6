/* A definition is read. */
#ifndef DESIGN_READING_READ_H
#define DESIGN_READING_READ_H

#include "design/model/model.h"
#include "design/reading/yaml.h"

/* A whole definition, and a file that one includes. Targets: struct ys_design. */
extern const struct ys_mapping ys_definition_mapping;
extern const struct ys_mapping ys_included_mapping;

/* Reads a definition, without asking what it means together. `*whole` says whether there is enough of it for that. Of
 * the rest see ys_design_read. */
struct ys_design *ys_definition_read(const char *file, const char *text, size_t length, ys_load_fn *load,
                                     void *load_context, bool *whole);

#endif
