/* Bytes as text. */
#include "support/hex.h"

#include <stdio.h>
#include <string.h>

#include "support/check.h"
#include "wire/hex.h"

size_t from_hex(const char *text, uint8_t *bytes, size_t size)
{
    size_t length = 0;
    for (; *text != '\0'; text++) {
        if (*text == ' ')
            continue;
        int high = ys_hex_digit(text[0]);
        int low = ys_hex_digit(text[1]);
        if (high < 0 || low < 0 || length == size)
            fail_msg("bad hexadecimal in a test: %s", text);
        bytes[length++] = (uint8_t)(high << 4 | low);
        text++;
    }
    return length;
}

const char *to_hex(const uint8_t *bytes, size_t length)
{
    static char texts[4][2048];
    static int next;
    char *text = texts[next++ % 4];
    char *to = text;
    for (size_t i = 0; i < length && i < 600; i++) {
        if (i > 0)
            *to++ = ' ';
        to = ys_hex_put(to, bytes[i], false);
    }
    *to = '\0';
    return text;
}

void assert_hex(const uint8_t *bytes, size_t length, const char *expected)
{
    uint8_t wanted[1024];
    size_t count = from_hex(expected, wanted, sizeof wanted);
    assert_string_equal(to_hex(bytes, length), to_hex(wanted, count));
}
