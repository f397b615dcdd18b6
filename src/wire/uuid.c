/* UUIDs of 16, 32 and 128 bits: text, air order, and the base that adopted numbers stand on. */
#include <yarnswift/uuid.h>

#include <string.h>

#include "wire/hex.h"

/* 00000000-0000-1000-8000-00805f9b34fb, least significant byte first (Core 5.4 Vol 3 Part B 2.5.1). */
static const uint8_t base[16] = {0xfb, 0x34, 0x9b, 0x5f, 0x80, 0x00, 0x00, 0x80, 0x00, 0x10};

/* Where the first 32 bits of the writing order lie in air order. */
#define NUMBER_AT 12

static uint32_t first_bits(const uint8_t *bytes)
{
    struct ys_reader reader = ys_reader_of(bytes, 4);
    return ys_get_u32(&reader);
}

struct ys_uuid ys_uuid_of(uint16_t number)
{
    return (struct ys_uuid){.length = 2, .bytes = {(uint8_t)number, (uint8_t)(number >> 8)}};
}

struct ys_uuid ys_uuid_from_air(const uint8_t *bytes, size_t length)
{
    struct ys_uuid uuid = {.length = 0};
    if (length != 2 && length != 4 && length != 16)
        return uuid;
    uuid.length = (uint8_t)length;
    memcpy(uuid.bytes, bytes, length);
    return uuid;
}

struct ys_uuid ys_uuid_in_full(const struct ys_uuid *uuid)
{
    struct ys_uuid full = {.length = 16};
    if (uuid->length == 16)
        return *uuid;
    memcpy(full.bytes, base, sizeof base);
    memcpy(full.bytes + NUMBER_AT, uuid->bytes, uuid->length);
    return full;
}

bool ys_uuid_is_adopted(const struct ys_uuid *uuid)
{
    return uuid->length < 16 || memcmp(uuid->bytes, base, NUMBER_AT) == 0;
}

uint32_t ys_uuid_number(const struct ys_uuid *uuid)
{
    if (!ys_uuid_is_adopted(uuid))
        return 0;
    struct ys_uuid full = ys_uuid_in_full(uuid);
    return first_bits(full.bytes + NUMBER_AT);
}

bool ys_uuid_is_equal(const struct ys_uuid *a, const struct ys_uuid *b)
{
    if (a->length == b->length)
        return memcmp(a->bytes, b->bytes, a->length) == 0;
    struct ys_uuid full_a = ys_uuid_in_full(a);
    struct ys_uuid full_b = ys_uuid_in_full(b);
    return memcmp(full_a.bytes, full_b.bytes, sizeof full_a.bytes) == 0;
}

struct ys_uuid ys_uuid_plus(const struct ys_uuid *uuid, uint32_t offset)
{
    struct ys_uuid sum = ys_uuid_in_full(uuid);
    struct ys_writer writer = ys_writer_to(sum.bytes + NUMBER_AT, 4);
    ys_put_u32(&writer, first_bits(sum.bytes + NUMBER_AT) + offset);
    return sum;
}

/* Reads 2 x `count` hexadecimal digits into `count` bytes, the last pair into bytes[0]. */
static bool parse_reversed(const char *text, size_t count, uint8_t *bytes)
{
    for (size_t i = 0; i < count; i++) {
        int high = ys_hex_digit(text[2 * i]);
        int low = ys_hex_digit(text[2 * i + 1]);
        if (high < 0 || low < 0)
            return false;
        bytes[count - 1 - i] = (uint8_t)(high << 4 | low);
    }
    return true;
}

static bool parse_full(const char *text, struct ys_uuid *uuid)
{
    static const uint8_t dashes[] = {8, 13, 18, 23};
    char digits[32];
    size_t count = 0;
    size_t dash = 0;
    for (size_t i = 0; i < YS_UUID_TEXT_SIZE - 1; i++) {
        if (dash < sizeof dashes && i == dashes[dash]) {
            if (text[i] != '-')
                return false;
            dash++;
        } else {
            digits[count++] = text[i];
        }
    }
    uuid->length = 16;
    return parse_reversed(digits, 16, uuid->bytes);
}

bool ys_uuid_parse(const char *text, size_t length, struct ys_uuid *uuid)
{
    struct ys_uuid parsed = {.length = 0};
    bool good = false;
    if (length == YS_UUID_TEXT_SIZE - 1) {
        good = parse_full(text, &parsed);
    } else {
        if (length > 2 && text[0] == '0' && (text[1] == 'x' || text[1] == 'X')) {
            text += 2;
            length -= 2;
        }
        if (length == 4 || length == 8) {
            parsed.length = (uint8_t)(length / 2);
            good = parse_reversed(text, parsed.length, parsed.bytes);
        }
    }
    if (good)
        *uuid = parsed;
    return good;
}

char *ys_uuid_format(const struct ys_uuid *uuid, char text[YS_UUID_TEXT_SIZE])
{
    char *to = text;
    if (uuid->length < 16) {
        *to++ = '0';
        *to++ = 'x';
    }
    for (size_t i = uuid->length; i > 0; i--) {
        to = ys_hex_put(to, uuid->bytes[i - 1], uuid->length < 16);
        if (uuid->length == 16 && (i == 13 || i == 11 || i == 9 || i == 7))
            *to++ = '-';
    }
    *to = '\0';
    return text;
}

void ys_put_uuid(struct ys_writer *writer, const struct ys_uuid *uuid)
{
    ys_put_bytes(writer, uuid->bytes, uuid->length);
}
