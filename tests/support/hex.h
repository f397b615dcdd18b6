/* Bytes as text, so that tests read like the standard's tables. */
#ifndef SUPPORT_HEX_H
#define SUPPORT_HEX_H

#include <stddef.h>
#include <stdint.h>

/* Reads pairs of hexadecimal digits, with spaces anywhere between, to `bytes`. Returns how many. */
size_t from_hex(const char *text, uint8_t *bytes, size_t size);

/* Writes bytes as pairs with single spaces; keeps a few results apart, so that two fit into one call. */
const char *to_hex(const uint8_t *bytes, size_t length);

/* Fails unless the bytes are these. */
void assert_hex(const uint8_t *bytes, size_t length, const char *expected);

#endif
