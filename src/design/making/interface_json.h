/* What a device offers, as JSON. */
#ifndef DESIGN_MAKING_INTERFACE_JSON_H
#define DESIGN_MAKING_INTERFACE_JSON_H

#include <jansson.h>

#include "design/model/model.h"

/* How a value of this type is sent; it is called `name`, and `id` where a program wants an identifier. */
json_t *ys_type_json(const struct ys_field *type, const char *name, const char *id);

/* All of a design without errors. */
json_t *ys_interface_json(const struct ys_design *design);

#endif
