/* Types, and the values that are written for them. */
#ifndef DESIGN_CHECKING_CHECK_TYPE_H
#define DESIGN_CHECKING_CHECK_TYPE_H

#include <stddef.h>
#include <stdint.h>

#include "design/model/model.h"

/* Checks what the bytes of `name` are, which a value of `length` bytes at most has: its structure, resolution and
 * length. False if nothing can be done with it. */
bool ys_check_type(struct ys_design *design, struct ys_field *type, const char *name, struct ys_place place);

/* Encodes a value that is written; the caller owns it. NULL, after a finding, if it is none of the type's. */
uint8_t *ys_check_value(struct ys_design *design, struct ys_field *type, const struct ys_written *written,
                        const char *name, size_t *length);

#endif
