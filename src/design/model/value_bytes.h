/* The bytes of a value, as reading and writing need them both. */
#ifndef DESIGN_MODEL_VALUE_BYTES_H
#define DESIGN_MODEL_VALUE_BYTES_H

#include "design/model/model.h"

/* Converts a text from one encoding to another, by their names; returns the bytes that it has put, or -1. */
int ys_value_convert(const char *to, const char *from, const void *bytes, size_t length, void *out, size_t size);

/* The bytes of a number in the order that the rest is written for: turned, into `turned`, if they are sent the other
 * way round. */
const uint8_t *ys_value_in_order(const struct ys_field *field, const uint8_t *bytes, uint8_t turned[16]);

/* Its bits as a number without a sign. */
uint64_t ys_value_bits(const struct ys_format *format, const uint8_t *bytes);

/* The name of a number of an enumerated value; NULL if it has none. */
const char *ys_value_name(const struct ys_field *field, uint64_t number);

/* Whether a field is there, as the flags before it say. */
bool ys_value_is_there(const struct ys_field *field, const uint64_t *flags);

/* Between the fields of a structure. */
#define YS_VALUE_SEPARATOR ", "

/* What a MedFloat can be beside a number. */
extern const char *const ys_medfloat_words[];

#endif
