/* Generated C for values: named bits, structures, and functions that put and get them. */
#ifndef DESIGN_MAKING_GENERATE_VALUES_H
#define DESIGN_MAKING_GENERATE_VALUES_H

#include <stdio.h>

#include "design/model/model.h"

/* Something that has a type: a characteristic's value, or data in an advertisement. */
struct ys_typed {
    const char *device; /* C identifier of the device */
    const char *id;     /* C identifier of what it is, after that */
    const char *name;   /* for people */
    const struct ys_field *type;
};

struct ys_typed ys_typed_of(const struct ys_design *design, const struct ys_characteristic *characteristic);

/* What its type needs in a header: named bits, a structure, functions that put and get it; nothing for texts, bytes and
 * lists. The functions are inline, and cost nothing where they are not called. */
void ys_generate_value(FILE *stream, const struct ys_typed *typed);

/* The C type of a scalar, and what its raw number means, as a comment. */
const char *ys_value_c_type(const struct ys_field *type);
void ys_value_put_unit(FILE *stream, const struct ys_field *type);

/* A check that refuses what is out of the valid range of `wanted`, where ys_range_limits. */
void ys_generate_range_check(FILE *stream, const char *device, const struct ys_characteristic *one, const char *indent);

#endif
