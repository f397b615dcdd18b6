/* Device addresses: kinds, text, air order. */
#include <yarnswift/address.h>

#include <string.h>

#include "wire/hex.h"

bool ys_address_is_equal(const struct ys_address *a, const struct ys_address *b)
{
    return a->type == b->type && memcmp(a->bytes, b->bytes, sizeof a->bytes) == 0;
}

/* Vol 6 Part B 1.3.2.1. */
struct ys_address ys_address_static(const uint8_t random[6])
{
    struct ys_address address = {.type = YS_ADDRESS_RANDOM};
    memcpy(address.bytes, random, sizeof address.bytes);
    address.bytes[5] |= 0xc0;
    return address;
}

/* Vol 3 Part C 10.8; Vol 6 Part B 1.3.2. */
const char *ys_address_kind(const struct ys_address *address)
{
    static const char *const random_kinds[] = {"random non-resolvable", "random resolvable", "random reserved",
                                               "random static"};
    if ((address->type & 1) == YS_ADDRESS_PUBLIC)
        return "public";
    return random_kinds[address->bytes[5] >> 6];
}

bool ys_address_parse(const char *text, size_t length, struct ys_address *address)
{
    uint8_t bytes[6];
    if (length != YS_ADDRESS_TEXT_SIZE - 1)
        return false;
    for (size_t i = 0; i < 6; i++) {
        int high = ys_hex_digit(text[3 * i]);
        int low = ys_hex_digit(text[3 * i + 1]);
        if (high < 0 || low < 0 || (i < 5 && text[3 * i + 2] != ':'))
            return false;
        bytes[5 - i] = (uint8_t)(high << 4 | low);
    }
    memcpy(address->bytes, bytes, sizeof bytes);
    return true;
}

char *ys_address_format(const struct ys_address *address, char text[YS_ADDRESS_TEXT_SIZE])
{
    char *to = text;
    for (size_t i = 6; i > 0; i--) {
        to = ys_hex_put(to, address->bytes[i - 1], true);
        *to++ = ':';
    }
    to[-1] = '\0';
    return text;
}

void ys_put_address(struct ys_writer *writer, const struct ys_address *address)
{
    ys_put_bytes(writer, address->bytes, sizeof address->bytes);
}

void ys_get_address(struct ys_reader *reader, struct ys_address *address)
{
    ys_get_copy(reader, address->bytes, sizeof address->bytes);
}
