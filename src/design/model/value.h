/* Values in words and back: the one place that turns a characteristic's bytes into meaning. */
#ifndef DESIGN_MODEL_VALUE_H
#define DESIGN_MODEL_VALUE_H

#include "design/model/model.h"

/* Longest value of an attribute, in bytes. */
#define YS_VALUE_LONGEST 512

/* Writes what the bytes mean ("24.12 N m", "87 %", a text in quotes, bytes in hexadecimal, "number 2, angle 120") to
 * `text` of `size` bytes; always ends it. Bytes that do not fit the format are said to. */
void ys_value_format(const struct ys_field *field, const uint8_t *bytes, size_t length, char *text, size_t size);

/* The same for whoever may not know what the bytes mean: with no field, they are given in hexadecimal, and behind them,
 * in brackets, the text that they are if it can be printed, and the whole numbers that they could be, the least
 * significant byte first: 2a 00 (uint16 42). */
void ys_value_say(const struct ys_field *field, const uint8_t *bytes, size_t length, char *text, size_t size);

/* The same with the bytes beside it, where they are not their own words: 42.0 N m  [a4 01]. */
void ys_value_show(const struct ys_field *field, const uint8_t *bytes, size_t length, char *text, size_t size);

/* Reads what ys_value_say gives, and for a value without a field also a text in quotes and a number behind its format:
 * uint16 42. Of any value also its bytes in hexadecimal, behind the word bytes. Returns as ys_value_parse does. */
int ys_value_hear(const struct ys_field *field, const char *text, uint8_t *bytes, size_t size, const char **problem);

/* What a presentation format descriptor of `length` bytes says of its value (Core 5.4 Vol 3 Part G 3.3.3.5), to be
 * freed by free(); NULL if it says nothing that is understood. */
struct ys_field *ys_value_told(const uint8_t *descriptor, size_t length);

/* Reads what a person writes, in the same words, to at most `size` bytes. Returns the length, or -1 and why, in
 * `problem`. */
int ys_value_parse(const struct ys_field *field, const char *text, uint8_t *bytes, size_t size, const char **problem);

/* Reads a number of the field's unit as the raw number that is sent. */
bool ys_value_parse_raw(const struct ys_field *field, const char *text, int64_t *raw, const char **problem);

/* What a number is in its unit; false if the value is none. */
bool ys_value_number(const struct ys_field *field, const uint8_t *bytes, size_t length, double *number);

/* Where in the bytes of a structure its field `part` lies; NULL if it is not there. */
const uint8_t *ys_value_part(const struct ys_field *whole, const uint8_t *bytes, size_t length,
                             const struct ys_field *part, size_t *part_length);

/* The raw number in the bytes of a whole number, as many as its format has. */
int64_t ys_value_decode(const struct ys_field *field, const uint8_t *bytes);

/* Encodes a raw number; returns its length. */
size_t ys_value_encode(const struct ys_field *field, int64_t raw, uint8_t bytes[8]);

/* The least and the greatest length that a value can have, in bytes. */
size_t ys_value_least(const struct ys_field *field);
size_t ys_value_greatest(const struct ys_field *field);

#endif
