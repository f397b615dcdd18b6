/* Values in words and back. Numbers are exact, a raw integer and a power of ten, but for the two formats that are
 * binary floating point themselves. */
#include "design/value.h"

#include <errno.h>
#include <iconv.h>
#include <inttypes.h>
#include <limits.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <yarnswift/medfloat.h>

#include "design/words.h"
#include "wire/hex.h"
#include "wire/utf8.h"

#define SEPARATOR ", "

static bool is_number(const struct ys_format *format)
{
    return format->kind == YS_FORMAT_UNSIGNED || format->kind == YS_FORMAT_SIGNED;
}

/* lengths */

/* Of one item, if the field is an array. */
static size_t item_greatest(const struct ys_field *field)
{
    size_t sum = 0;
    for (size_t i = 0; i < field->field_count; i++)
        sum += ys_value_greatest(&field->fields[i]);
    if (field->format->kind == YS_FORMAT_STRUCT)
        return sum;
    return field->format->size != 0 ? field->format->size : (size_t)field->length.number;
}

size_t ys_value_greatest(const struct ys_field *field)
{
    return item_greatest(field) * (field->most.number > 0 ? (size_t)field->most.number : 1);
}

size_t ys_value_least(const struct ys_field *field)
{
    size_t sum = 0;
    if (field->most.number > 0 || field->depends)
        return 0;
    if (field->format->kind != YS_FORMAT_STRUCT)
        return field->fixed ? (size_t)field->length.number : field->format->size;
    for (size_t i = 0; i < field->field_count; i++)
        sum += ys_value_least(&field->fields[i]);
    return sum;
}

/* out */

static uint64_t decode_bits(const struct ys_format *format, const uint8_t *bytes)
{
    uint64_t value = 0;
    for (size_t i = format->size; i > 0; i--)
        value = value << 8 | bytes[i - 1];
    return value;
}

int64_t ys_value_decode(const struct ys_field *field, const uint8_t *bytes)
{
    const struct ys_format *format = field->format;
    uint64_t value = decode_bits(format, bytes);
    uint64_t sign = UINT64_C(1) << ((format->bits - 1u) & 63);
    uint64_t mask = sign | (sign - 1);
    value &= mask;
    if (format->kind == YS_FORMAT_SIGNED && (value & sign) != 0)
        value |= ~mask;
    return (int64_t)value;
}

static void put_unit(const struct ys_field *field, FILE *stream)
{
    if (field->unit != NULL && field->unit->symbol[0] != '\0')
        (void)fprintf(stream, " %s", field->unit->symbol);
}

/* mantissa x 10^exponent in digits: 42.1, 0.05, 4200. */
static void put_magnitude(uint64_t magnitude, int exponent, FILE *stream)
{
    char digits[24];
    int places = exponent < 0 ? -exponent : 0;
    if (places > 18 || exponent > 18) {
        (void)fprintf(stream, "%" PRIu64 "e%d", magnitude, exponent);
        return;
    }
    int length = snprintf(digits, sizeof digits, "%0*" PRIu64, places + 1, magnitude);
    if (places > 0)
        (void)fprintf(stream, "%.*s.%s", length - places, digits, digits + length - places);
    else
        (void)fputs(digits, stream);
    for (int i = 0; i < exponent && magnitude != 0; i++)
        (void)fputc('0', stream);
}

static void put_decimal(int64_t mantissa, int exponent, FILE *stream)
{
    if (mantissa < 0)
        (void)fputc('-', stream);
    put_magnitude(mantissa < 0 ? 0 - (uint64_t)mantissa : (uint64_t)mantissa, exponent, stream);
}

/* A raw number in its unit. Halves are fives and a place more, so this is exact, too. */
static void put_number(const struct ys_field *field, int64_t raw, FILE *stream)
{
    int64_t mantissa = field->multiplier > 1 ? raw * field->multiplier : raw;
    int exponent = field->exponent;
    for (int i = 0; i < field->halvings; i++) {
        bool even = mantissa % 2 == 0;
        mantissa = even ? mantissa / 2 : mantissa * 5;
        exponent -= !even;
    }
    if (field->format->kind == YS_FORMAT_UNSIGNED)
        put_magnitude((uint64_t)mantissa, exponent, stream); /* the widest have no sign to spare */
    else
        put_decimal(mantissa, exponent, stream);
}

/* 0x and the digits of a wide number, most significant first, without leading zeros. */
static void put_wide(const struct ys_field *field, const uint8_t *bytes, FILE *stream)
{
    size_t length = field->format->size;
    while (length > 1 && bytes[length - 1] == 0)
        length--;
    (void)fprintf(stream, "0x%x", bytes[length - 1]);
    for (size_t i = length - 1; i > 0; i--)
        (void)fprintf(stream, "%02x", bytes[i - 1]);
}

static void put_float(const struct ys_field *field, const uint8_t *bytes, FILE *stream)
{
    uint64_t bits = decode_bits(field->format, bytes);
    uint32_t low = (uint32_t)bits;
    float single;
    double number;
    memcpy(&single, &low, sizeof single);
    memcpy(&number, &bits, sizeof number);
    if (field->format->size == 4)
        (void)fprintf(stream, "%.9g", (double)single);
    else
        (void)fprintf(stream, "%.17g", number);
}

static const char *const medfloat_words[] = {
    [YS_MEDFLOAT_NUMBER] = "",
    [YS_MEDFLOAT_NAN] = "not a number",
    [YS_MEDFLOAT_NRES] = "not at this resolution",
    [YS_MEDFLOAT_INFINITE] = "infinite",
    [YS_MEDFLOAT_NEGATIVE_INFINITE] = "-infinite",
    [YS_MEDFLOAT_RESERVED] = "reserved",
};

static void put_medfloat(const struct ys_field *field, const uint8_t *bytes, FILE *stream)
{
    struct ys_reader reader = ys_reader_of(bytes, field->format->size);
    struct ys_medfloat value = field->format->size == 2 ? ys_get_medfloat16(&reader) : ys_get_medfloat32(&reader);
    if (value.kind == YS_MEDFLOAT_NUMBER)
        put_decimal(value.mantissa, value.exponent, stream);
    else
        (void)fputs(medfloat_words[value.kind], stream);
}

static void put_flags(const struct ys_field *field, const uint8_t *bytes, FILE *stream)
{
    uint64_t flags = decode_bits(field->format, bytes);
    const char *between = "";
    if (flags == 0)
        (void)fputs("none", stream);
    for (size_t bit = 0; bit < field->format->bits; bit++) {
        if ((flags >> bit & 1) == 0)
            continue;
        if (bit < field->bit_count)
            (void)fprintf(stream, "%s%s", between, field->bits[bit]);
        else
            (void)fprintf(stream, "%sbit %zu", between, bit);
        between = " + ";
    }
}

/* Turns one encoding into another. Returns how many bytes it gives, or -1 if it is none, or too long. */
static int convert(const char *to, const char *from, const void *bytes, size_t length, void *out, size_t size)
{
    iconv_t converter = iconv_open(to, from);
    char *in;
    char *target = out;
    size_t left = size;
    memcpy(&in, &bytes, sizeof in); /* iconv only reads it, but does not say so */
    if (converter == (iconv_t)-1)   /* NOLINT(performance-no-int-to-ptr): iconv says it so */
        return -1;
    bool good = iconv(converter, &in, &length, &target, &left) != (size_t)-1;
    (void)iconv_close(converter);
    return good ? (int)(size - left) : -1;
}

/* Text in quotes; what is not plain, and quotes themselves, byte by byte as \xNN. */
static void put_text(const uint8_t *bytes, size_t length, FILE *stream)
{
    (void)fputc('"', stream);
    for (size_t i = 0, whole; i<length; i += whole> 0 ? whole : 1) {
        whole = bytes[i] != '"' && bytes[i] != '\\' ? ys_utf8_plain(bytes + i, length - i) : 0;
        if (whole > 0)
            (void)fwrite(bytes + i, 1, whole, stream);
        else
            (void)fprintf(stream, "\\x%02x", bytes[i]);
    }
    (void)fputc('"', stream);
}

static void put_utf16(const uint8_t *bytes, size_t length, FILE *stream)
{
    uint8_t text[3 * 512 / 2];
    int used = convert("UTF-8", "UTF-16LE", bytes, length, text, sizeof text);
    if (used >= 0)
        put_text(text, (size_t)used, stream);
    else
        (void)fputs("no UTF-16", stream);
}

/* A number of which the most significant byte is sent first, in the order in which all others are. */
static const uint8_t *in_order(const struct ys_field *field, const uint8_t *bytes, uint8_t turned[16])
{
    size_t size = field->format->size;
    if (field->order != YS_MOST_FIRST + 1 || size > 16)
        return bytes;
    for (size_t i = 0; i < size; i++)
        turned[i] = bytes[size - 1 - i];
    return turned;
}

static void put_item(const struct ys_field *field, const uint8_t *sent, size_t length, FILE *stream)
{
    uint8_t turned[16];
    const uint8_t *bytes = in_order(field, sent, turned);
    switch (field->format->kind) {
    case YS_FORMAT_UNSIGNED:
    case YS_FORMAT_SIGNED:
        put_number(field, ys_value_decode(field, bytes), stream);
        put_unit(field, stream);
        break;
    case YS_FORMAT_FLOAT:
        put_float(field, bytes, stream);
        put_unit(field, stream);
        break;
    case YS_FORMAT_MEDFLOAT:
        put_medfloat(field, bytes, stream);
        put_unit(field, stream);
        break;
    case YS_FORMAT_BOOLEAN:
        (void)fputs(bytes[0] != 0 ? "true" : "false", stream);
        break;
    case YS_FORMAT_FLAGS:
        put_flags(field, bytes, stream);
        break;
    case YS_FORMAT_WIDE:
        put_wide(field, bytes, stream);
        put_unit(field, stream);
        break;
    case YS_FORMAT_PAIR:
        (void)fprintf(stream, "%u %u", bytes[0] | (unsigned)bytes[1] << 8, bytes[2] | (unsigned)bytes[3] << 8);
        break;
    case YS_FORMAT_TEXT:
        put_text(bytes, length, stream);
        break;
    case YS_FORMAT_UTF16:
        put_utf16(bytes, length, stream);
        break;
    case YS_FORMAT_BYTES:
    case YS_FORMAT_STRUCT:
    default:
        for (size_t i = 0; i < length; i++)
            (void)fprintf(stream, "%s%02x", i > 0 ? " " : "", bytes[i]);
        break;
    }
}

/* Whether an optional field is there, by the flags before it. */
static bool is_there(const struct ys_field *field, const uint64_t *flags)
{
    return !field->depends || ((flags[field->flags_at] >> field->flag & 1) != 0) == (field->when.text != NULL);
}

/* One field of a structure, from where the reader stands. */
static bool put_field(const struct ys_field *field, struct ys_reader *reader, FILE *stream)
{
    size_t size = field->format->size != 0 ? field->format->size : (size_t)field->length.number;
    size_t left = ys_reader_left(reader);
    if (field->most.number > 0) {
        (void)fputc('[', stream);
        for (uint64_t i = 0; i < field->most.number && ys_reader_left(reader) >= size; i++) {
            (void)fputs(i > 0 ? "; " : "", stream);
            put_item(field, ys_get_bytes(reader, size), size, stream);
        }
        (void)fputc(']', stream);
        return true;
    }
    if ((field->format->kind == YS_FORMAT_TEXT || field->format->kind == YS_FORMAT_UTF16) && left < size)
        size = left; /* it is the last, and may be shorter */
    if (left < size)
        return false;
    put_item(field, ys_get_bytes(reader, size), size, stream);
    return true;
}

static void put_struct(const struct ys_field *whole, const uint8_t *bytes, size_t length, FILE *stream)
{
    struct ys_reader reader = ys_reader_of(bytes, length);
    uint64_t flags[YS_FIELDS_MOST] = {0};
    const char *between = "";
    for (size_t i = 0; i < whole->field_count; i++) {
        const struct ys_field *field = &whole->fields[i];
        struct ys_reader ahead = reader;
        if (!is_there(field, flags))
            continue;
        (void)fprintf(stream, "%s%s ", between, field->name);
        between = SEPARATOR;
        const uint8_t *own = field->format->kind == YS_FORMAT_FLAGS ? ys_get_bytes(&ahead, field->format->size) : NULL;
        if (own != NULL)
            flags[i] = decode_bits(field->format, own);
        if (!put_field(field, &reader, stream)) {
            (void)fputs("cut short", stream);
            return;
        }
    }
    if (ys_reader_left(&reader) > 0)
        (void)fprintf(stream, "%sand %zu bytes more", between, ys_reader_left(&reader));
}

const uint8_t *ys_value_part(const struct ys_field *whole, const uint8_t *bytes, size_t length,
                             const struct ys_field *part, size_t *part_length)
{
    struct ys_reader reader = ys_reader_of(bytes, length);
    uint64_t flags[YS_FIELDS_MOST] = {0};
    const uint8_t *found = NULL;
    char *words = NULL;
    size_t words_length = 0;
    FILE *stream = open_memstream(&words, &words_length); /* only how far each field goes is of interest */
    if (stream == NULL)
        abort();
    for (size_t i = 0; i < whole->field_count && found == NULL; i++) {
        const struct ys_field *field = &whole->fields[i];
        const uint8_t *at = bytes + (length - ys_reader_left(&reader));
        size_t left = ys_reader_left(&reader);
        if (!is_there(field, flags))
            continue;
        if (field->format->kind == YS_FORMAT_FLAGS && left >= field->format->size)
            flags[i] = decode_bits(field->format, at);
        if (!put_field(field, &reader, stream))
            break;
        if (field == part) {
            found = at;
            *part_length = left - ys_reader_left(&reader);
        }
    }
    (void)fclose(stream);
    free(words);
    return found;
}

bool ys_value_number(const struct ys_field *field, const uint8_t *bytes, size_t length, double *number)
{
    enum ys_format_kind kind = field != NULL ? field->format->kind : YS_FORMAT_BYTES;
    char text[100];
    char *end = text;
    bool numeric =
        kind == YS_FORMAT_UNSIGNED || kind == YS_FORMAT_SIGNED || kind == YS_FORMAT_FLOAT || kind == YS_FORMAT_MEDFLOAT;
    if (!numeric || length != field->format->size)
        return false;
    ys_value_format(field, bytes, length, text, sizeof text);
    *number = strtod(text, &end);
    return end != text;
}

void ys_value_format(const struct ys_field *field, const uint8_t *bytes, size_t length, char *text, size_t size)
{
    const struct ys_format *format = field->format;
    char *whole = NULL;
    size_t whole_length = 0;
    FILE *stream = open_memstream(&whole, &whole_length);
    if (stream == NULL || size == 0)
        abort();
    if (format->size != 0 && format->size != length)
        (void)fprintf(stream, "%zu bytes where %s has %u", length, format->name, format->size);
    else if (format->kind == YS_FORMAT_STRUCT)
        put_struct(field, bytes, length, stream);
    else
        put_item(field, bytes, length, stream);
    (void)fclose(stream);
    (void)snprintf(text, size, "%s", whole);
    free(whole);
}

/* in */

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
    *problem = "behind the number stands something other than its unit";
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

bool ys_value_parse_raw(const struct ys_field *field, const char *text, int64_t *raw, const char **problem)
{
    int64_t mantissa;
    int places;
    const char *end;
    bool widest = field->format->kind == YS_FORMAT_UNSIGNED && field->format->bits == 64 && field->exponent == 0;
    if (widest && text[0] >= '0' && text[0] <= '9' && strchr(text, '.') == NULL)
        return parse_widest(field, text, raw, problem);
    if (!is_number(field->format) || !ys_decimal_parse(text, &mantissa, &places, &end)) {
        *problem = "it is not a number";
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
        if (strcmp(text, medfloat_words[kind]) == 0)
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
    *problem = "it names a bit that there is not";
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
    switch (format->kind) {
    case YS_FORMAT_BOOLEAN:
        *problem = "it is neither true nor false";
        bytes[0] = strcmp(text, "true") == 0;
        return bytes[0] != 0 || strcmp(text, "false") == 0 ? 1 : -1;
    case YS_FORMAT_TEXT:
        if (length > size || (field->length.number > 0 && length > field->length.number))
            return -1;
        memcpy(bytes, text, length);
        return (int)length;
    case YS_FORMAT_UTF16:
        if (field->length.number > 0 && field->length.number < size)
            size = (size_t)field->length.number;
        *problem = "it is no text, or too long";
        return convert("UTF-16LE", "UTF-8", text, length, bytes, size);
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
    if (used > 0 && in_order(field, bytes, turned) == turned)
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
        else if (!quoted && strncmp(text + length, SEPARATOR, strlen(SEPARATOR)) == 0)
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
        if (!is_there(field, flags))
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
        text += strncmp(text, SEPARATOR, strlen(SEPARATOR)) == 0 ? strlen(SEPARATOR) : 0;
        int used = parse_field(field, part, bytes + length, size - length, problem);
        if (used < 0)
            return -1;
        if (field->format->kind == YS_FORMAT_FLAGS)
            flags[i] = decode_bits(field->format, bytes + length);
        length += (size_t)used;
    }
    *problem = "something stands behind its last field";
    return *text == '\0' ? (int)length : -1;
}

int ys_value_parse(const struct ys_field *field, const char *text, uint8_t *bytes, size_t size, const char **problem)
{
    if (field->format->kind == YS_FORMAT_STRUCT)
        return parse_struct(field, text, bytes, size, problem);
    return parse_item(field, text, bytes, size, problem);
}
