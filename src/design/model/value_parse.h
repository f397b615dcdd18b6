/* Words into bytes. */
#ifndef DESIGN_MODEL_VALUE_PARSE_H
#define DESIGN_MODEL_VALUE_PARSE_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "design/model/model.h"

/* Reads what a person writes, in the same words, to at most `size` bytes. Returns the length, or -1 and why, in
 * `problem`. */
int ys_value_parse(const struct ys_field *field, const char *text, uint8_t *bytes, size_t size, const char **problem);

/* Reads a number of the field's unit as the raw number that is sent. */
bool ys_value_parse_raw(const struct ys_field *field, const char *text, int64_t *raw, const char **problem);

/* Encodes a raw number; returns its length. */
size_t ys_value_encode(const struct ys_field *field, int64_t raw, uint8_t bytes[8]);

#endif
