/* Hexadecimal digits, for the text forms of UUIDs, addresses and raw bytes. */
#ifndef WIRE_HEX_H
#define WIRE_HEX_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

/* The value of a hexadecimal digit, or -1. */
static inline int ys_hex_digit(char digit)
{
    if (digit >= '0' && digit <= '9')
        return digit - '0';
    if (digit >= 'a' && digit <= 'f')
        return digit - 'a' + 10;
    if (digit >= 'A' && digit <= 'F')
        return digit - 'A' + 10;
    return -1;
}

/* Writes bytes as pairs of digits with `between` between them, as many as fit into `size`
 * characters with the terminating zero. Returns `text`. */
char *ys_hex_format(const uint8_t *bytes, size_t length, const char *between, char *text, size_t size);

/* Writes two digits, and returns where the next character goes. */
static inline char *ys_hex_put(char *to, uint8_t byte, bool upper)
{
    const char *digits = upper ? "0123456789ABCDEF" : "0123456789abcdef";
    *to++ = digits[byte >> 4];
    *to++ = digits[byte & 15];
    return to;
}

#endif
