/* Types, and the values that are written for them. */
#ifndef DESIGN_CHECKING_CHECK_TYPE_H
#define DESIGN_CHECKING_CHECK_TYPE_H

#include <stddef.h>
#include <stdint.h>

#include "design/model/model.h"

/* Checks the type of `name`, whose values have at most `length` bytes: its structure, resolution and length. False if
 * it cannot be used. */
bool ys_check_type(struct ys_design *design, struct ys_field *type, const char *name, struct ys_place place);

/* Encodes a written value; the caller frees it. NULL, after a finding, if it does not fit the type. */
uint8_t *ys_check_value(struct ys_design *design, struct ys_field *type, const struct ys_written *written,
                        const char *name, size_t *length);

#endif
