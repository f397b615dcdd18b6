/* Raw bytes as text. */
#include "wire/hex.h"

char *ys_hex_format(const uint8_t *bytes, size_t length, const char *between, char *text, size_t size)
{
    char *to = text;
    size_t left = size;
    size_t gap = 0;
    while (between[gap] != '\0')
        gap++;
    for (size_t i = 0; i < length && left > (i > 0 ? gap : 0) + 2; i++) {
        for (size_t j = 0; i > 0 && j < gap; j++)
            *to++ = between[j];
        to = ys_hex_put(to, bytes[i], false);
        left = size - (size_t)(to - text);
    }
    if (size > 0)
        *to = '\0';
    return text;
}
