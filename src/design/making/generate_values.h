/* Generated C for values: named bits, and structures with functions that put and get them. */
#ifndef DESIGN_MAKING_GENERATE_VALUES_H
#define DESIGN_MAKING_GENERATE_VALUES_H

#include <stdio.h>

#include "design/model/model.h"

/* What a characteristic's value adds to the header, and to the source: nothing, for most. */
void ys_generate_value_header(FILE *stream, const struct ys_design *design,
                              const struct ys_characteristic *characteristic);
void ys_generate_value_source(FILE *stream, const struct ys_design *design,
                              const struct ys_characteristic *characteristic);

/* Whether its value is one number, which has a C type of its own; that, and what its raw number means, as a comment. */
bool ys_value_is_scalar(const struct ys_characteristic *characteristic);
const char *ys_value_c_type(const struct ys_characteristic *characteristic);
void ys_value_put_unit(FILE *stream, const struct ys_characteristic *characteristic);

/* Puts a text into a comment: a name can neither end it nor begin another. The only way in for what was not written
 * here. */
void ys_put_comment(FILE *stream, const char *text);

#endif
