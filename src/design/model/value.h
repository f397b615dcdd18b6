/* Values in words and back: the one place that turns a characteristic's bytes into meaning. */
#ifndef DESIGN_MODEL_VALUE_H
#define DESIGN_MODEL_VALUE_H

#include "design/model/model.h"

/* Longest value of an attribute, in bytes. */
#define YS_VALUE_LONGEST 512

/* Writes what the bytes mean ("24.12 N m", "87 %", a text in quotes, bytes in hexadecimal, "number 2, angle 120") to
 * `text` of `size` bytes; always ends it. Bytes that do not fit the format are said to. */
void ys_value_format(const struct ys_field *field, const uint8_t *bytes, size_t length, char *text, size_t size);

/* Whether the bytes have a length that the format allows: of a structure with the fields that its flags say. */
bool ys_value_fits(const struct ys_field *field, const uint8_t *bytes, size_t length);

/* Whether a value is one that its definition allows: in its range, of its names where it has some, without bits that
 * have none. Else why not, as in "is 250.0 N m, beyond 200.0 N m". What does not fit its format is not looked at. */
bool ys_value_is_sound(const struct ys_characteristic *characteristic, const uint8_t *bytes, size_t length, char *text,
                       size_t size);

/* What a number is in its unit; false if the value is none. */
bool ys_value_number(const struct ys_field *field, const uint8_t *bytes, size_t length, double *number);

/* The position of field `part` in the bytes of a structure; NULL if the field is absent. */
const uint8_t *ys_value_part(const struct ys_field *whole, const uint8_t *bytes, size_t length,
                             const struct ys_field *part, size_t *part_length);

/* The raw number in the bytes of a whole number, as many as its format has. */
int64_t ys_value_decode(const struct ys_field *field, const uint8_t *bytes);

/* The least and the greatest length that a value can have, in bytes. */
size_t ys_value_least(const struct ys_field *field);
size_t ys_value_greatest(const struct ys_field *field);

/* The length of the value whose bytes are all 0, and whose texts and arrays are empty. */
size_t ys_value_zeros(const struct ys_field *field);

#endif
