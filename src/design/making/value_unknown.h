/* Values of which it may not be known what they mean. */
#ifndef DESIGN_MAKING_VALUE_UNKNOWN_H
#define DESIGN_MAKING_VALUE_UNKNOWN_H

#include <stddef.h>
#include <stdint.h>

#include "design/model/model.h"

/* The same for values of unknown format: without a field, the bytes are printed in hexadecimal, followed in brackets by
 * the text, if it is printable, and by the whole numbers that they could be, least significant byte first: 2a 00
 * (uint16 42). */
void ys_value_say(const struct ys_field *field, const uint8_t *bytes, size_t length, char *text, size_t size);

/* The same with the bytes beside it, where they are not their own words: 42.0 N m  [a4 01]. */
void ys_value_show(const struct ys_field *field, const uint8_t *bytes, size_t length, char *text, size_t size);

/* Reads what ys_value_say prints. Without a field it also takes a text in quotes, and a number after its format: uint16
 * 42. For any value it takes bytes in hexadecimal after the word bytes. Returns as ys_value_parse does. */
int ys_value_hear(const struct ys_field *field, const char *text, uint8_t *bytes, size_t size, const char **problem);

/* What a presentation format descriptor of `length` bytes says of its value (Core 5.4 Vol 3 Part G 3.3.3.5), to be
 * freed by free(); NULL if it says nothing that is understood. */
struct ys_field *ys_value_told(const uint8_t *descriptor, size_t length);

#endif
