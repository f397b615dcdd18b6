/* Values in words and back. Numbers are exact (a raw integer and a power of ten), except for the two binary floating-
 * point formats. */
#include "design/model/value.h"

#include <inttypes.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <yarnswift/medfloat.h>

#include "design/model/value_bytes.h"
#include "wire/hex.h"
#include "wire/utf8.h"

/* So many digits has a number of 64 bits, and so far a double is exact: 2^53. */
#define DIGITS_MOST 20
#define EXACT_MOST  INT64_C(9007199254740992)

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

/* Of a field that is there. In a structure only arrays and texts may be shorter than they say. */
static size_t least_of_field(const struct ys_field *field)
{
    if (field->most.number > 0)
        return 0;
    return field->fixed || field->format->kind == YS_FORMAT_BYTES ? (size_t)field->length.number : field->format->size;
}

size_t ys_value_least(const struct ys_field *field)
{
    size_t sum = 0;
    if (field->format->kind != YS_FORMAT_STRUCT)
        return field->most.number > 0 ? 0 : field->fixed ? (size_t)field->length.number : field->format->size;
    for (size_t i = 0; i < field->field_count; i++)
        sum += field->fields[i].depends ? 0 : least_of_field(&field->fields[i]);
    return sum;
}

size_t ys_value_zeros(const struct ys_field *field)
{
    static const uint64_t no_flags[YS_FIELDS_MOST];
    size_t sum = 0;
    if (field->format->kind != YS_FORMAT_STRUCT)
        return least_of_field(field);
    for (size_t i = 0; i < field->field_count; i++)
        sum += ys_value_is_there(&field->fields[i], no_flags) ? least_of_field(&field->fields[i]) : 0;
    return sum;
}

/* out */

/* A text that is being written; what does not fit is dropped. */
struct line {
    char *text;
    size_t size;
    size_t length;
};

static void put_bytes(struct line *line, const char *bytes, size_t length)
{
    size_t room = line->size - 1 - line->length;
    length = length < room ? length : room;
    memcpy(line->text + line->length, bytes, length);
    line->length += length;
    line->text[line->length] = '\0';
}

static void put_words(struct line *line, const char *words)
{
    put_bytes(line, words, strlen(words));
}

static void put(struct line *line, const char *format, ...)
{
    va_list arguments;
    size_t room = line->size - line->length;
    va_start(arguments, format);
    int length = vsnprintf(line->text + line->length, room, format, arguments);
    va_end(arguments);
    if (length > 0)
        line->length += (size_t)length < room ? (size_t)length : room - 1;
}

int64_t ys_value_decode(const struct ys_field *field, const uint8_t *bytes)
{
    const struct ys_format *format = field->format;
    uint64_t value = ys_value_bits(format, bytes);
    uint64_t sign = UINT64_C(1) << ((format->bits - 1u) & 63);
    uint64_t mask = sign | (sign - 1);
    value &= mask;
    if (format->kind == YS_FORMAT_SIGNED && (value & sign) != 0)
        value |= ~mask;
    return (int64_t)value;
}

static void put_unit(const struct ys_field *field, struct line *line)
{
    if (field->unit != NULL && field->unit->symbol[0] != '\0')
        put(line, " %s", field->unit->symbol);
}

/* mantissa x 10^exponent in digits: 42.1, 0.05, 4200. */
static void put_magnitude(uint64_t magnitude, int exponent, struct line *line)
{
    char digits[2 * DIGITS_MOST];
    char *first = digits + sizeof digits;
    int places = exponent < 0 ? -exponent : 0;
    if (places > 18 || exponent > 18) {
        put(line, "%" PRIu64 "e%d", magnitude, exponent);
        return;
    }
    bool is_zero = magnitude == 0;
    for (int place = 0; place <= places || magnitude > 0; place++, magnitude /= 10) {
        if (place > 0 && place == places)
            *--first = '.';
        *--first = (char)('0' + magnitude % 10);
    }
    put_bytes(line, first, (size_t)(digits + sizeof digits - first));
    for (int i = 0; i < exponent && !is_zero; i++)
        put_words(line, "0");
}

static void put_decimal(int64_t mantissa, int exponent, struct line *line)
{
    if (mantissa < 0)
        put_words(line, "-");
    put_magnitude(mantissa < 0 ? 0 - (uint64_t)mantissa : (uint64_t)mantissa, exponent, line);
}

/* mantissa x 10^exponent */
struct decimal {
    int64_t mantissa;
    int exponent;
};

/* A raw number in its unit. Halves are fives and a place more, so this is exact, too. */
static struct decimal in_unit(const struct ys_field *field, int64_t raw)
{
    struct decimal number = {.mantissa = field->multiplier > 1 ? raw * field->multiplier : raw,
                             .exponent = field->exponent};
    for (int i = 0; i < field->halvings; i++) {
        bool even = number.mantissa % 2 == 0;
        number.mantissa = even ? number.mantissa / 2 : number.mantissa * 5;
        number.exponent -= !even;
    }
    return number;
}

static void put_number(const struct ys_field *field, int64_t raw, struct line *line)
{
    struct decimal number = in_unit(field, raw);
    if (field->format->kind == YS_FORMAT_UNSIGNED)
        put_magnitude((uint64_t)number.mantissa, number.exponent, line); /* the widest have no sign to spare */
    else
        put_decimal(number.mantissa, number.exponent, line);
}

/* 0x and the digits of a wide number, most significant first, without leading zeros. */
static void put_wide(const struct ys_field *field, const uint8_t *bytes, struct line *line)
{
    size_t length = field->format->size;
    while (length > 1 && bytes[length - 1] == 0)
        length--;
    put(line, "0x%x", bytes[length - 1]);
    for (size_t i = length - 1; i > 0; i--)
        put(line, "%02x", bytes[i - 1]);
}

static void put_integer(const struct ys_field *field, int64_t raw, struct line *line)
{
    const char *name = ys_value_name(field, (uint64_t)raw);
    if (name != NULL) {
        put_words(line, name);
        return;
    }
    put_number(field, raw, line);
    put_unit(field, line);
}

static void put_float(const struct ys_field *field, const uint8_t *bytes, struct line *line)
{
    uint64_t bits = ys_value_bits(field->format, bytes);
    uint32_t low = (uint32_t)bits;
    float single;
    double number;
    memcpy(&single, &low, sizeof single);
    memcpy(&number, &bits, sizeof number);
    if (field->format->size == 4)
        put(line, "%.9g", (double)single);
    else
        put(line, "%.17g", number);
}

static void put_medfloat(const struct ys_field *field, const uint8_t *bytes, struct line *line)
{
    struct ys_reader reader = ys_reader_of(bytes, field->format->size);
    struct ys_medfloat value = field->format->size == 2 ? ys_get_medfloat16(&reader) : ys_get_medfloat32(&reader);
    if (value.kind == YS_MEDFLOAT_NUMBER)
        put_decimal(value.mantissa, value.exponent, line);
    else
        put_words(line, ys_medfloat_words[value.kind]);
}

static void put_flags(const struct ys_field *field, const uint8_t *bytes, struct line *line)
{
    uint64_t flags = ys_value_bits(field->format, bytes);
    const char *between = "";
    if (flags == 0)
        put_words(line, "none");
    for (size_t bit = 0; bit < field->format->bits; bit++) {
        if ((flags >> bit & 1) == 0)
            continue;
        if (bit < field->bit_count)
            put(line, "%s%s", between, field->bits[bit]);
        else
            put(line, "%sbit %zu", between, bit);
        between = " + ";
    }
}

/* Text in quotes; what is not plain, and quotes themselves, byte by byte as \xNN. */
static void put_text(const uint8_t *bytes, size_t length, struct line *line)
{
    put_words(line, "\"");
    for (size_t i = 0, whole; i<length; i += whole> 0 ? whole : 1) {
        whole = bytes[i] != '"' && bytes[i] != '\\' ? ys_utf8_plain(bytes + i, length - i) : 0;
        if (whole > 0)
            put_bytes(line, (const char *)bytes + i, whole);
        else
            put(line, "\\x%02x", bytes[i]);
    }
    put_words(line, "\"");
}

static void put_utf16(const uint8_t *bytes, size_t length, struct line *line)
{
    uint8_t text[3 * 512 / 2];
    int used = ys_value_convert("UTF-8", "UTF-16LE", bytes, length, text, sizeof text);
    if (used >= 0)
        put_text(text, (size_t)used, line);
    else
        put_words(line, "no UTF-16");
}

static void put_item(const struct ys_field *field, const uint8_t *sent, size_t length, struct line *line)
{
    uint8_t turned[16];
    const uint8_t *bytes = ys_value_in_order(field, sent, turned);
    switch (field->format->kind) {
    case YS_FORMAT_UNSIGNED:
    case YS_FORMAT_SIGNED:
        put_integer(field, ys_value_decode(field, bytes), line);
        break;
    case YS_FORMAT_FLOAT:
        put_float(field, bytes, line);
        put_unit(field, line);
        break;
    case YS_FORMAT_MEDFLOAT:
        put_medfloat(field, bytes, line);
        put_unit(field, line);
        break;
    case YS_FORMAT_BOOLEAN:
        put_words(line, bytes[0] != 0 ? "true" : "false");
        break;
    case YS_FORMAT_FLAGS:
        put_flags(field, bytes, line);
        break;
    case YS_FORMAT_WIDE:
        put_wide(field, bytes, line);
        put_unit(field, line);
        break;
    case YS_FORMAT_PAIR:
        put(line, "%u %u", bytes[0] | (unsigned)bytes[1] << 8, bytes[2] | (unsigned)bytes[3] << 8);
        break;
    case YS_FORMAT_TEXT:
        put_text(bytes, length, line);
        break;
    case YS_FORMAT_UTF16:
        put_utf16(bytes, length, line);
        break;
    case YS_FORMAT_BYTES:
    case YS_FORMAT_STRUCT:
    default:
        for (size_t i = 0; i < length; i++)
            put(line, "%s%02x", i > 0 ? " " : "", bytes[i]);
        break;
    }
}

/* Takes one field of a structure, from where the reader stands; false if it is cut short. */
static bool take_field(const struct ys_field *field, struct ys_reader *reader)
{
    size_t size = field->format->size != 0 ? field->format->size : (size_t)field->length.number;
    size_t left = ys_reader_left(reader);
    size_t count = 1;
    if (field->most.number > 0)
        count = size > 0 && left / size < field->most.number ? left / size : (size_t)field->most.number;
    else if (field->format->kind == YS_FORMAT_TEXT || field->format->kind == YS_FORMAT_UTF16)
        size = left < size ? left : size; /* it is the last, and may be shorter */
    if (left < count * size)
        return false;
    (void)ys_get_bytes(reader, count * size);
    return true;
}

/* The bytes of a field that were taken. */
static void put_field(const struct ys_field *field, const uint8_t *bytes, size_t length, struct line *line)
{
    size_t size = field->format->size != 0 ? field->format->size : (size_t)field->length.number;
    if (field->most.number == 0) {
        put_item(field, bytes, length, line);
        return;
    }
    put_words(line, "[");
    for (size_t at = 0; at + size <= length && size > 0; at += size) {
        put_words(line, at > 0 ? "; " : "");
        put_item(field, bytes + at, size, line);
    }
    put_words(line, "]");
}

/* A structure, taken field by field. */
struct walk {
    const struct ys_field *whole;
    const uint8_t *bytes;
    size_t length;
    struct ys_reader reader;
    uint64_t flags[YS_FIELDS_MOST];
    size_t i;     /* of the field after the one that was taken */
    bool is_good; /* none is cut short so far */
    const uint8_t *at;
    size_t taken;
};

static struct walk walk_of(const struct ys_field *whole, const uint8_t *bytes, size_t length)
{
    return (struct walk){
        .whole = whole, .bytes = bytes, .length = length, .reader = ys_reader_of(bytes, length), .is_good = true};
}

/* The next field that is there; NULL at the end. */
static const struct ys_field *next_field(struct walk *walk)
{
    while (walk->is_good && walk->i < walk->whole->field_count) {
        const struct ys_field *field = &walk->whole->fields[walk->i++];
        size_t left = ys_reader_left(&walk->reader);
        if (!ys_value_is_there(field, walk->flags))
            continue;
        walk->at = walk->bytes + (walk->length - left);
        if (field->format->kind == YS_FORMAT_FLAGS && left >= field->format->size)
            walk->flags[walk->i - 1] = ys_value_bits(field->format, walk->at);
        walk->is_good = take_field(field, &walk->reader);
        walk->taken = left - ys_reader_left(&walk->reader);
        return field;
    }
    return NULL;
}

static void put_struct(const struct ys_field *whole, const uint8_t *bytes, size_t length, struct line *line)
{
    struct walk walk = walk_of(whole, bytes, length);
    const char *between = "";
    for (const struct ys_field *field; (field = next_field(&walk)) != NULL; between = YS_VALUE_SEPARATOR) {
        put(line, "%s%s ", between, field->name);
        if (walk.is_good)
            put_field(field, walk.at, walk.taken, line);
        else
            put_words(line, "cut short");
    }
    if (walk.is_good && ys_reader_left(&walk.reader) > 0)
        put(line, "%sand %zu bytes more", between, ys_reader_left(&walk.reader));
}

const uint8_t *ys_value_part(const struct ys_field *whole, const uint8_t *bytes, size_t length,
                             const struct ys_field *part, size_t *part_length)
{
    struct walk walk = walk_of(whole, bytes, length);
    for (const struct ys_field *field; (field = next_field(&walk)) != NULL;) {
        if (field == part && walk.is_good) {
            *part_length = walk.taken;
            return walk.at;
        }
    }
    return NULL;
}

bool ys_value_fits(const struct ys_field *field, const uint8_t *bytes, size_t length)
{
    if (field->format->kind == YS_FORMAT_STRUCT && field->most.number == 0) {
        struct walk walk = walk_of(field, bytes, length);
        while (next_field(&walk) != NULL)
            ;
        return walk.is_good && ys_reader_left(&walk.reader) == 0;
    }
    if (field->format->size == 0 && field->length.number == 0) /* nobody has said */
        return length <= YS_VALUE_LONGEST;
    return length >= ys_value_least(field) && length <= ys_value_greatest(field);
}

/* What a whole number is in its unit; false if that takes more than one rounding. */
static bool number_exactly(const struct ys_field *field, const uint8_t *sent, double *number)
{
    static const double powers[] = {1e0, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11};
    uint8_t turned[16];
    int64_t raw = ys_value_decode(field, ys_value_in_order(field, sent, turned));
    struct decimal decimal = in_unit(field, raw);
    int power = decimal.exponent < 0 ? -decimal.exponent : decimal.exponent;
    if (decimal.mantissa > EXACT_MOST || decimal.mantissa < -EXACT_MOST || power > 11 ||
        (field->format->kind == YS_FORMAT_UNSIGNED && decimal.mantissa < 0) ||
        ys_value_name(field, (uint64_t)raw) != NULL)
        return false;
    *number =
        decimal.exponent < 0 ? (double)decimal.mantissa / powers[power] : (double)decimal.mantissa * powers[power];
    return true;
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
    if ((kind == YS_FORMAT_UNSIGNED || kind == YS_FORMAT_SIGNED) && number_exactly(field, bytes, number))
        return true;
    ys_value_format(field, bytes, length, text, sizeof text);
    *number = strtod(text, &end);
    return end != text;
}

void ys_value_format(const struct ys_field *field, const uint8_t *bytes, size_t length, char *text, size_t size)
{
    const struct ys_format *format = field->format;
    struct line line = {.text = text, .size = size};
    text[0] = '\0';
    if (format->size != 0 && format->size != length)
        put(&line, "%zu bytes where %s has %u", length, format->name, format->size);
    else if (format->kind == YS_FORMAT_STRUCT)
        put_struct(field, bytes, length, &line);
    else
        put_item(field, bytes, length, &line);
    if (format->size == 0 && format->kind != YS_FORMAT_STRUCT && !ys_value_fits(field, bytes, length))
        put(&line, " (%zu bytes where it has %s%zu)", length, field->fixed ? "" : "at most ", ys_value_greatest(field));
}
