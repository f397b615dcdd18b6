/* Values that are written, as bytes. */
#include "design/model/value_parse.h"

#include <errno.h>
#include <limits.h>
#include <stdlib.h>
#include <string.h>

#include <yarnswift/medfloat.h>

#include "design/model/value_bytes.h"
#include "design/model/words.h"
#include "wire/hex.h"

static bool is_number(const struct ys_format *format)
{
    return format->kind == YS_FORMAT_UNSIGNED || format->kind == YS_FORMAT_SIGNED;
}

size_t ys_value_encode(const struct ys_field *field, int64_t raw, uint8_t bytes[8])
{
    uint64_t mask = field->format->bits < 64 ? (UINT64_C(1) << field->format->bits) - 1 : UINT64_MAX;
    for (size_t i = 0; i < field->format->size; i++)
        bytes[i] = (uint8_t)(((uint64_t)raw & mask) >> 8 * i);
    return field->format->size;
}

static bool fits(const struct ys_format *format, int64_t raw)
{
    if (format->bits == 64)
        return format->kind == YS_FORMAT_SIGNED || raw >= 0;
    if (format->kind == YS_FORMAT_UNSIGNED)
        return raw >= 0 && raw < INT64_C(1) << format->bits;
    return raw >= -(INT64_C(1) << (format->bits - 1)) && raw < INT64_C(1) << (format->bits - 1);
}

/* Whether nothing is left but the unit, which may be left out. */
static bool ends_with_unit(const struct ys_field *field, const char *end, const char **problem)
{
    while (*end == ' ')
        end++;
    *problem = "the unit is wrong";
    return *end == '\0' ||
           (field->unit != NULL && (strcmp(end, field->unit->symbol) == 0 || strcmp(end, field->unit->name) == 0));
}

/* The whole range of 64 bits, without a sign, is more than the numbers with decimals have. */
static bool parse_widest(const struct ys_field *field, const char *text, int64_t *raw, const char **problem)
{
    char *end = NULL;
    errno = 0;
    unsigned long long number = strtoull(text, &end, 10);
    *problem = "it does not fit into the format";
    if (errno != 0)
        return false;
    *raw = (int64_t)number;
    return ends_with_unit(field, end, problem);
}

static bool parse_name(const struct ys_field *field, const char *text, int64_t *raw)
{
    for (size_t i = 0; i < field->name_count; i++) {
        if (strcmp(field->names[i].name, text) == 0) {
            *raw = (int64_t)field->names[i].number;
            return true;
        }
    }
    return false;
}

bool ys_value_parse_raw(const struct ys_field *field, const char *text, int64_t *raw, const char **problem)
{
    int64_t mantissa;
    int places;
    const char *end;
    bool widest = field->format->kind == YS_FORMAT_UNSIGNED && field->format->bits == 64 && field->exponent == 0;
    if (parse_name(field, text, raw))
        return true;
    if (widest && text[0] >= '0' && text[0] <= '9' && strchr(text, '.') == NULL)
        return parse_widest(field, text, raw, problem);
    if (!is_number(field->format) || !ys_decimal_parse(text, &mantissa, &places, &end)) {
        *problem = field->name_count > 0 ? "it is neither one of its names nor a number" : "it is not a number";
        return false;
    }
    if (!ends_with_unit(field, end, problem))
        return false;
    int64_t multiplier = field->multiplier > 1 ? field->multiplier : 1;
    int shift = -places - field->exponent;
    *problem = "it does not fit into the format";
    for (int i = 0; i < field->halvings; i++) {
        if (mantissa > INT64_MAX / 2 || mantissa < INT64_MIN / 2)
            return false;
        mantissa *= 2;
    }
    for (; shift > 0; shift--) {
        if (mantissa > INT64_MAX / 10 || mantissa < INT64_MIN / 10)
            return false;
        mantissa *= 10;
    }
    for (; shift < 0 && mantissa % 10 == 0; shift++)
        mantissa /= 10;
    if (shift < 0 || mantissa % multiplier != 0) {
        *problem = "it is finer than the resolution";
        return false;
    }
    *raw = mantissa / multiplier;
    return fits(field->format, *raw);
}

static int parse_float(const struct ys_field *field, const char *text, uint8_t *bytes, const char **problem)
{
    char *end;
    double number = strtod(text, &end);
    float single = (float)number;
    uint64_t bits = 0;
    if (end == text) {
        *problem = "it is not a number";
        return -1;
    }
    if (!ends_with_unit(field, end, problem))
        return -1;
    if (field->format->size == 4)
        memcpy(&bits, &single, sizeof single);
    else
        memcpy(&bits, &number, sizeof number);
    for (size_t i = 0; i < field->format->size; i++)
        bytes[i] = (uint8_t)(bits >> 8 * i);
    return field->format->size;
}

static int parse_medfloat(const struct ys_field *field, const char *text, uint8_t *bytes, const char **problem)
{
    struct ys_medfloat value = {.kind = YS_MEDFLOAT_NUMBER};
    struct ys_writer writer = ys_writer_to(bytes, field->format->size);
    int64_t greatest = field->format->size == 2 ? 2045 : 8388605;
    int64_t mantissa = 0;
    int places = 0;
    const char *end = "";
    for (int kind = YS_MEDFLOAT_NAN; kind < YS_MEDFLOAT_RESERVED; kind++) {
        if (strcmp(text, ys_medfloat_words[kind]) == 0)
            value.kind = (uint8_t)kind;
    }
    *problem = "it is not a number";
    if (value.kind == YS_MEDFLOAT_NUMBER && !ys_decimal_parse(text, &mantissa, &places, &end))
        return -1;
    if (!ends_with_unit(field, end, problem))
        return -1;
    for (; mantissa % 10 == 0 && (mantissa > greatest || mantissa < -greatest); mantissa /= 10)
        places--;
    *problem = "it needs more digits than the format has";
    if (mantissa > greatest || mantissa < -greatest || places > 8 || places < -7)
        return -1;
    value.mantissa = (int32_t)mantissa;
    value.exponent = (int8_t)-places;
    if (field->format->size == 2)
        ys_put_medfloat16(&writer, value);
    else
        ys_put_medfloat32(&writer, value);
    return field->format->size;
}

/* Names of bits with a plus between, or none. */
static int parse_flags(const struct ys_field *field, const char *text, uint8_t *bytes, const char **problem)
{
    uint64_t flags = 0;
    *problem = "it names an unknown bit";
    while (*text != '\0' && strcmp(text, "none") != 0) {
        size_t length = strcspn(text, "+");
        size_t used = length;
        size_t bit = 0;
        while (used > 0 && text[used - 1] == ' ')
            used--;
        while (bit < field->bit_count &&
               (strlen(field->bits[bit]) != used || strncmp(field->bits[bit], text, used) != 0))
            bit++;
        if (bit == field->bit_count)
            return -1;
        flags |= UINT64_C(1) << bit;
        text += length + (text[length] == '+');
        while (*text == ' ')
            text++;
    }
    return (int)ys_value_encode(field, (int64_t)flags, bytes);
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

/* 0x and up to 32 digits. */
static int parse_wide(const struct ys_field *field, const char *text, uint8_t *bytes, const char **problem)
{
    size_t digits = strncmp(text, "0x", 2) == 0 ? strspn(text + 2, "0123456789abcdefABCDEF") : 0;
    size_t size = field->format->size;
    *problem = "it is not 0x and hexadecimal digits";
    if (digits == 0 || !ends_with_unit(field, text + 2 + digits, problem))
        return -1;
    *problem = "it does not fit into the format";
    if (digits > 2 * size)
        return -1;
    memset(bytes, 0, size);
    for (size_t i = 0; i < digits; i++) {
        int digit = ys_hex_digit(text[2 + digits - 1 - i]);
        bytes[i / 2] |= (uint8_t)(digit < 0 ? 0 : (unsigned)digit << 4 * (i % 2));
    }
    return (int)size;
}

static int parse_pair(const char *text, uint8_t *bytes, const char **problem)
{
    *problem = "it is not two numbers from 0 to 65535";
    for (size_t i = 0; i < 4; i += 2) {
        char *end = NULL;
        bool digit = text[0] >= '0' && text[0] <= '9';
        unsigned long number = digit ? strtoul(text, &end, 10) : ULONG_MAX;
        if (number > UINT16_MAX || *end != (i == 0 ? ' ' : '\0'))
            return -1;
        bytes[i] = (uint8_t)number;
        bytes[i + 1] = (uint8_t)(number >> 8);
        text = end + strspn(end, " ");
    }
    return 4;
}

static int parse_ordinary(const struct ys_field *field, const char *text, uint8_t *bytes, size_t size,
                          const char **problem)
{
    const struct ys_format *format = field->format;
    size_t length = strlen(text);
    int64_t raw;
    *problem = "it is too long";
    if (format->size > size)
        return -1;
    if (format->size == 0 && field->length.number > 0 && field->length.number < size)
        size = (size_t)field->length.number;
    switch (format->kind) {
    case YS_FORMAT_BOOLEAN:
        *problem = "it is neither true nor false";
        bytes[0] = strcmp(text, "true") == 0;
        return bytes[0] != 0 || strcmp(text, "false") == 0 ? 1 : -1;
    case YS_FORMAT_TEXT:
        if (length > size)
            return -1;
        memcpy(bytes, text, length);
        return (int)length;
    case YS_FORMAT_UTF16:
        *problem = "it is no text, or too long";
        return ys_value_convert("UTF-16LE", "UTF-8", text, length, bytes, size);
    case YS_FORMAT_WIDE:
        return parse_wide(field, text, bytes, problem);
    case YS_FORMAT_PAIR:
        return parse_pair(text, bytes, problem);
    case YS_FORMAT_BYTES:
        return parse_bytes(text, bytes, size, problem);
    case YS_FORMAT_FLOAT:
        return parse_float(field, text, bytes, problem);
    case YS_FORMAT_MEDFLOAT:
        return parse_medfloat(field, text, bytes, problem);
    case YS_FORMAT_FLAGS:
        return parse_flags(field, text, bytes, problem);
    default:
        return ys_value_parse_raw(field, text, &raw, problem) ? (int)ys_value_encode(field, raw, bytes) : -1;
    }
}

static int parse_item(const struct ys_field *field, const char *text, uint8_t *bytes, size_t size, const char **problem)
{
    uint8_t turned[16];
    int used = parse_ordinary(field, text, bytes, size, problem);
    if (used > 0 && ys_value_in_order(field, bytes, turned) == turned)
        memcpy(bytes, turned, (size_t)used);
    return used;
}

/* The end of a field's value in the text of a structure: before the next separator that is not in quotes. */
static size_t value_span(const char *text)
{
    bool quoted = false;
    size_t length = 0;
    for (; text[length] != '\0'; length++) {
        if (text[length] == '"')
            quoted = !quoted;
        else if (!quoted && strncmp(text + length, YS_VALUE_SEPARATOR, strlen(YS_VALUE_SEPARATOR)) == 0)
            break;
    }
    return length;
}

/* A field's value as it stands in a structure: texts in quotes, arrays in brackets. */
static int parse_field(const struct ys_field *field, char *text, uint8_t *bytes, size_t size, const char **problem)
{
    size_t length = strlen(text);
    int used = 0;
    *problem = "a part of it is not written as it should be";
    if (field->most.number > 0) {
        char *save = NULL;
        uint64_t count = 0;
        if (length < 2 || text[0] != '[' || text[length - 1] != ']')
            return -1;
        text[length - 1] = '\0';
        for (char *item = strtok_r(text + 1, ";", &save); item != NULL; item = strtok_r(NULL, ";", &save)) {
            if (++count > field->most.number) {
                *problem = "an array in it has more items than there is room for";
                return -1;
            }
            int one = parse_item(field, item + strspn(item, " "), bytes + used, size - (size_t)used, problem);
            if (one < 0)
                return -1;
            used += one;
        }
        return used;
    }
    if (field->format->kind == YS_FORMAT_TEXT || field->format->kind == YS_FORMAT_UTF16) {
        if (length < 2 || text[0] != '"' || text[length - 1] != '"')
            return -1;
        text[length - 1] = '\0';
        text++;
    }
    used = parse_item(field, text, bytes, size, problem);
    if (used >= 0 && field->format->kind == YS_FORMAT_BYTES && (size_t)used != field->length.number) {
        *problem = "a part of it has the wrong length";
        return -1;
    }
    return used;
}

static int parse_struct(const struct ys_field *whole, const char *text, uint8_t *bytes, size_t size,
                        const char **problem)
{
    uint64_t flags[YS_FIELDS_MOST] = {0};
    size_t length = 0;
    for (size_t i = 0; i < whole->field_count; i++) {
        const struct ys_field *field = &whole->fields[i];
        char part[600];
        if (!ys_value_is_there(field, flags))
            continue;
        size_t name = strlen(field->name);
        *problem = "its fields must come in order, each after its name";
        if (strncmp(text, field->name, name) != 0 || text[name] != ' ')
            return -1;
        text += name + 1;
        size_t span = value_span(text);
        if (span >= sizeof part)
            return -1;
        memcpy(part, text, span);
        part[span] = '\0';
        text += span;
        text += strncmp(text, YS_VALUE_SEPARATOR, strlen(YS_VALUE_SEPARATOR)) == 0 ? strlen(YS_VALUE_SEPARATOR) : 0;
        int used = parse_field(field, part, bytes + length, size - length, problem);
        if (used < 0)
            return -1;
        if (field->format->kind == YS_FORMAT_FLAGS)
            flags[i] = ys_value_bits(field->format, bytes + length);
        length += (size_t)used;
    }
    *problem = "there is text after its last field";
    return *text == '\0' ? (int)length : -1;
}

int ys_value_parse(const struct ys_field *field, const char *text, uint8_t *bytes, size_t size, const char **problem)
{
    if (field->format->kind == YS_FORMAT_STRUCT)
        return parse_struct(field, text, bytes, size, problem);
    return parse_item(field, text, bytes, size, problem);
}
