/* What bytes mean: the keys that characteristics, fields of structures and the catalogue share. */
#ifndef DESIGN_TYPE_H
#define DESIGN_TYPE_H

#include "design/model.h"
#include "design/yaml.h"

/* Each reads the value of the key of its name. */
void ys_type_format(const struct ys_node *node, struct ys_field *field);
void ys_type_unit(const struct ys_node *node, struct ys_field *field);
void ys_type_resolution(const struct ys_node *node, struct ys_field *field);
void ys_type_length(const struct ys_node *node, struct ys_field *field);
void ys_type_bits(const struct ys_node *node, struct ys_field *field);
void ys_type_fields(const struct ys_node *node, struct ys_field *whole);

/* Takes from `adopted` what `field` does not say itself: all of it, if it has no format; unit and resolution, if it has
 * the same. */
void ys_type_inherit(struct ys_field *field, const struct ys_field *adopted);

/* Frees what a type holds. */
void ys_type_clear(struct ys_field *field);

/* Reads a whole number, decimal or with 0x; false, after a finding, if it is none or greater. */
bool ys_read_number(const struct ys_node *node, const char *what, uint64_t greatest, uint64_t *number);

/* Reads a name, and makes its C identifier; both are the caller's. The first of two counts. */
void ys_read_name(const struct ys_node *node, const char *what, char **name, char **id);

#endif
