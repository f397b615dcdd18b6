/* Values in words and back. Numbers are exact: a raw integer and a power of ten, never a floating-point number. */
#include "design/value.h"

#include <inttypes.h>
#include <stdio.h>
#include <string.h>

#include "design/words.h"
#include "wire/hex.h"

static bool is_number(const struct ys_format *format)
{
    return format->kind == YS_FORMAT_UNSIGNED || format->kind == YS_FORMAT_SIGNED;
}

static int64_t decode(const struct ys_format *format, const uint8_t *bytes)
{
    uint64_t value = 0;
    for (size_t i = format->size; i > 0; i--)
        value = value << 8 | bytes[i - 1];
    uint64_t sign = UINT64_C(1) << ((8u * format->size - 1) & 63);
    if (format->kind == YS_FORMAT_SIGNED && (value & sign) != 0)
        value |= ~(sign | (sign - 1));
    return (int64_t)value;
}

size_t ys_value_encode(const struct ys_field *field, int64_t raw, uint8_t bytes[8])
{
    for (size_t i = 0; i < field->format->size; i++)
        bytes[i] = (uint8_t)((uint64_t)raw >> 8 * i);
    return field->format->size;
}

/* The digits of a magnitude, with a point before the last `places` of them. */
static void put_digits(FILE *stream, uint64_t magnitude, int places)
{
    char digits[24];
    int length = snprintf(digits, sizeof digits, "%0*" PRIu64, places + 1 < 20 ? places + 1 : 20, magnitude);
    if (places > 0)
        (void)fprintf(stream, "%.*s.%s", length - places, digits, digits + length - places);
    else
        (void)fputs(digits, stream);
}

static void format_number(const struct ys_field *field, int64_t raw, char *text, size_t size)
{
    const char *symbol = field->unit != NULL ? field->unit->symbol : "";
    FILE *stream = fmemopen(text, size, "w");
    if (stream == NULL)
        return;
    if (raw < 0)
        (void)fputc('-', stream);
    put_digits(stream, raw < 0 ? (uint64_t)-raw : (uint64_t)raw, -field->exponent);
    for (int i = 0; i < field->exponent && raw != 0; i++)
        (void)fputc('0', stream);
    (void)fprintf(stream, "%s%s", *symbol != '\0' ? " " : "", symbol);
    (void)fclose(stream);
    text[size - 1] = '\0';
}

/* Text in quotes; what is not printable, and quotes themselves, as \xNN. Bytes above 0x7F are UTF-8, and stay. */
static void format_text(const uint8_t *bytes, size_t length, char *text, size_t size)
{
    size_t at = 0;
    text[at++] = '"';
    for (size_t i = 0; i < length && at + 6 < size; i++) {
        if (bytes[i] >= 0x20 && bytes[i] != 0x7f && bytes[i] != '"' && bytes[i] != '\\')
            text[at++] = (char)bytes[i];
        else
            at += (size_t)snprintf(text + at, size - at, "\\x%02x", bytes[i]);
    }
    text[at++] = '"';
    text[at] = '\0';
}

void ys_value_format(const struct ys_field *field, const uint8_t *bytes, size_t length, char *text, size_t size)
{
    const struct ys_format *format = field->format;
    if (size < 8) {
        if (size > 0)
            text[0] = '\0';
        return;
    }
    if (format->size != 0 && format->size != length)
        (void)snprintf(text, size, "%zu bytes where %s has %u", length, format->name, format->size);
    else if (is_number(format))
        format_number(field, decode(format, bytes), text, size);
    else if (format->kind == YS_FORMAT_BOOLEAN)
        (void)snprintf(text, size, "%s", bytes[0] != 0 ? "true" : "false");
    else if (format->kind == YS_FORMAT_TEXT)
        format_text(bytes, length, text, size);
    else
        (void)ys_hex_format(bytes, length, " ", text, size);
}

static bool fits(const struct ys_format *format, int64_t raw)
{
    int bits = 8 * format->size;
    if (format->kind == YS_FORMAT_UNSIGNED)
        return raw >= 0 && raw < INT64_C(1) << bits;
    return raw >= -(INT64_C(1) << (bits - 1)) && raw < INT64_C(1) << (bits - 1);
}

bool ys_value_parse_raw(const struct ys_field *field, const char *text, int64_t *raw, const char **problem)
{
    int64_t mantissa;
    int places;
    const char *end;
    if (!is_number(field->format) || !ys_decimal_parse(text, &mantissa, &places, &end)) {
        *problem = "it is not a number";
        return false;
    }
    while (*end == ' ')
        end++;
    if (*end != '\0' &&
        (field->unit == NULL || (strcmp(end, field->unit->symbol) != 0 && strcmp(end, field->unit->name) != 0))) {
        *problem = "behind the number stands something other than its unit";
        return false;
    }
    int shift = -places - field->exponent;
    for (; shift < 0 && mantissa % 10 == 0; shift++)
        mantissa /= 10;
    if (shift < 0) {
        *problem = "it is finer than the resolution";
        return false;
    }
    for (; shift > 0; shift--) {
        if (mantissa > INT64_MAX / 10 || mantissa < INT64_MIN / 10) {
            *problem = "it does not fit into the format";
            return false;
        }
        mantissa *= 10;
    }
    *raw = mantissa;
    *problem = "it does not fit into the format";
    return fits(field->format, mantissa);
}

static int parse_bytes(const char *text, uint8_t *bytes, size_t size, const char **problem)
{
    size_t length = 0;
    while (*text != '\0') {
        int high = ys_hex_digit(text[0]);
        int low = high < 0 ? -1 : ys_hex_digit(text[1]);
        if (low < 0) {
            *problem = "it is not pairs of hexadecimal digits";
            return -1;
        }
        if (length == size) {
            *problem = "it is too long";
            return -1;
        }
        bytes[length++] = (uint8_t)(high << 4 | low);
        text += 2;
        while (*text == ' ')
            text++;
    }
    return (int)length;
}

int ys_value_parse(const struct ys_field *field, const char *text, uint8_t *bytes, size_t size, const char **problem)
{
    const struct ys_format *format = field->format;
    size_t length = strlen(text);
    int64_t raw;
    switch (format->kind) {
    case YS_FORMAT_BOOLEAN:
        *problem = "it is neither true nor false";
        bytes[0] = strcmp(text, "true") == 0;
        return bytes[0] != 0 || strcmp(text, "false") == 0 ? 1 : -1;
    case YS_FORMAT_TEXT:
        *problem = "it is too long";
        if (length > size)
            return -1;
        memcpy(bytes, text, length);
        return (int)length;
    case YS_FORMAT_BYTES:
        return parse_bytes(text, bytes, size, problem);
    case YS_FORMAT_UNSIGNED:
    case YS_FORMAT_SIGNED:
    default:
        return ys_value_parse_raw(field, text, &raw, problem) ? (int)ys_value_encode(field, raw, bytes) : -1;
    }
}
