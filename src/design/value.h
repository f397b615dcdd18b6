/* Values in words and back: the one place that turns a characteristic's bytes into meaning. */
#ifndef DESIGN_VALUE_H
#define DESIGN_VALUE_H

#include "design/model.h"

/* Writes what the bytes mean ("24.12 N m", "87 %", a text in quotes, bytes in hexadecimal, "number 2, angle 120") to
 * `text` of `size` bytes; always ends it. Bytes that do not fit the format are said to. */
void ys_value_format(const struct ys_field *field, const uint8_t *bytes, size_t length, char *text, size_t size);

/* Reads what a person writes, in the same words, to at most `size` bytes. Returns the length, or -1 and why, in
 * `problem`. */
int ys_value_parse(const struct ys_field *field, const char *text, uint8_t *bytes, size_t size, const char **problem);

/* Reads a number of the field's unit as the raw number that is sent. */
bool ys_value_parse_raw(const struct ys_field *field, const char *text, int64_t *raw, const char **problem);

/* The raw number in the bytes of a whole number, as many as its format has. */
int64_t ys_value_decode(const struct ys_field *field, const uint8_t *bytes);

/* Encodes a raw number; returns its length. */
size_t ys_value_encode(const struct ys_field *field, int64_t raw, uint8_t bytes[8]);

/* The least and the greatest length that a value can have, in bytes. */
size_t ys_value_least(const struct ys_field *field);
size_t ys_value_greatest(const struct ys_field *field);

#endif
