/* Values to write, derived from the format of the definition. */
#include "encounter/bytes.h"

#include <string.h>

#include "design/model/value_bytes.h"

static bool is_number(const struct ys_field *type)
{
    enum ys_format_kind kind = type->format->kind;
    return (kind == YS_FORMAT_BOOLEAN || kind == YS_FORMAT_UNSIGNED || kind == YS_FORMAT_SIGNED) &&
           type->format->bits <= 64 && type->format->size > 0;
}

/* The raw numbers that a format has. */
static void format_ends(const struct ys_format *format, int64_t *least, int64_t *greatest)
{
    unsigned bits = format->kind == YS_FORMAT_BOOLEAN ? 1 : format->bits;
    bool is_signed = format->kind == YS_FORMAT_SIGNED;
    uint64_t most = bits >= 64 ? INT64_MAX : (UINT64_C(1) << (bits - is_signed)) - 1;
    *least = is_signed ? -(int64_t)most - 1 : 0;
    *greatest = (int64_t)most;
}

/* The raw numbers that it can be: of its range, or of its format. */
static void ends(const struct ys_characteristic *characteristic, int64_t *least, int64_t *greatest)
{
    format_ends(characteristic->type.format, least, greatest);
    if (characteristic->has_range || characteristic->has_usual) {
        const int64_t *range = characteristic->has_range ? characteristic->range : characteristic->usual;
        *least = range[0];
        *greatest = range[1];
    }
}

static void put_number(const struct ys_field *type, int64_t number, uint8_t *bytes, size_t *length)
{
    *length = type->format->size;
    for (size_t i = 0; i < *length; i++)
        bytes[i] = (uint8_t)((uint64_t)number >> (8 * (i < 8 ? i : 7)));
    if (type->order == YS_MOST_FIRST + 1) {
        for (size_t i = 0; i < *length / 2; i++) {
            uint8_t byte = bytes[i];
            bytes[i] = bytes[*length - 1 - i];
            bytes[*length - 1 - i] = byte;
        }
    }
}

/* A number beyond its range that its format can still say. */
static bool beyond(const struct ys_characteristic *characteristic, bool below, int64_t *number)
{
    struct ys_characteristic whole = *characteristic;
    int64_t least;
    int64_t greatest;
    whole.has_range = false;
    whole.has_usual = false;
    ends(&whole, &least, &greatest);
    if (!characteristic->has_range)
        return false;
    *number = below ? characteristic->range[0] - 1 : characteristic->range[1] + 1;
    return below ? characteristic->range[0] > least : characteristic->range[1] < greatest;
}

static int64_t any_of(int64_t least, int64_t greatest, struct ys_chance *chance)
{
    uint64_t span = (uint64_t)greatest - (uint64_t)least;
    uint64_t drawn = ys_chance_next(chance);
    return (int64_t)((uint64_t)least + (span == UINT64_MAX ? drawn : drawn % (span + 1)));
}

static bool number_bytes(const struct ys_characteristic *characteristic, enum ys_access_way way,
                         struct ys_chance *chance, uint8_t *bytes, size_t *length, enum ys_worth *worth)
{
    int64_t least;
    int64_t greatest;
    int64_t number;
    bool named = characteristic->type.name_count > 0;
    ends(characteristic, &least, &greatest);
    *worth = named ? YS_WORTH_OPEN : YS_WORTH_GOOD;
    switch (way) {
    case YS_ACCESS_LEAST:
        number = least;
        break;
    case YS_ACCESS_GREATEST:
        number = greatest;
        break;
    case YS_ACCESS_BELOW:
    case YS_ACCESS_BEYOND:
        *worth = characteristic->any_value ? YS_WORTH_OPEN : YS_WORTH_BEYOND;
        if (!beyond(characteristic, way == YS_ACCESS_BELOW, &number))
            return false;
        break;
    default:
        number = any_of(least, greatest, chance);
        break;
    }
    if (named && (way == YS_ACCESS_ANY || way == YS_ACCESS_COMMAND)) {
        number = (int64_t)characteristic->type.names[ys_chance_below(chance, (uint32_t)characteristic->type.name_count)]
                     .number;
        *worth = characteristic->has_range ? YS_WORTH_OPEN : YS_WORTH_GOOD;
    }
    put_number(&characteristic->type, number, bytes, length);
    return true;
}

/* Texts and bytes: every byte counts, those of zero among them. */
static bool string_bytes(const struct ys_field *type, enum ys_access_way way, struct ys_chance *chance, uint8_t *bytes,
                         size_t *length, enum ys_worth *worth)
{
    size_t least = ys_value_least(type);
    size_t greatest = ys_value_greatest(type);
    bool raw = type->format->kind == YS_FORMAT_BYTES;
    if (way == YS_ACCESS_BELOW || way == YS_ACCESS_BEYOND)
        return false;
    *worth = YS_WORTH_GOOD;
    *length = way == YS_ACCESS_LEAST      ? least
              : way == YS_ACCESS_GREATEST ? greatest
                                          : least + ys_chance_below(chance, (uint32_t)(greatest - least + 1));
    for (size_t i = 0; i < *length; i++)
        bytes[i] = raw ? (uint8_t)(i % 3 == 1 ? 0 : ys_chance_next(chance)) : (uint8_t)('A' + i % 26);
    if (type->format->kind == YS_FORMAT_UTF16) {
        *length -= *length % 2;
        for (size_t i = 0; i < *length; i++)
            bytes[i] = i % 2 == 0 ? (uint8_t)('A' + i / 2 % 26) : 0;
    }
    return true;
}

/* structures */

/* Flags: all named ones set, none set, or a random choice. */
static uint64_t any_flags(const struct ys_field *field, enum ys_access_way way, struct ys_chance *chance)
{
    uint64_t named = field->bit_count >= 64 ? UINT64_MAX : (UINT64_C(1) << field->bit_count) - 1;
    return way == YS_ACCESS_LEAST ? 0 : way == YS_ACCESS_GREATEST ? named : ys_chance_next(chance) & named;
}

/* A number of a field, or one of its names. */
static int64_t any_number(const struct ys_field *field, enum ys_access_way way, struct ys_chance *chance)
{
    int64_t least;
    int64_t greatest;
    format_ends(field->format, &least, &greatest);
    if (field->name_count > 0)
        return (int64_t)field
            ->names[way == YS_ACCESS_LEAST      ? 0
                    : way == YS_ACCESS_GREATEST ? field->name_count - 1
                                                : ys_chance_below(chance, (uint32_t)field->name_count)]
            .number;
    return way == YS_ACCESS_LEAST ? least : way == YS_ACCESS_GREATEST ? greatest : any_of(least, greatest, chance);
}

/* One item of a field; returns its length. */
static size_t put_item(const struct ys_field *field, enum ys_access_way way, struct ys_chance *chance, uint8_t *bytes,
                       uint64_t *flags)
{
    enum ys_format_kind kind = field->format->kind;
    enum ys_worth worth;
    size_t length = field->format->size;
    if (kind == YS_FORMAT_FLAGS) {
        *flags = any_flags(field, way, chance);
        put_number(field, (int64_t)*flags, bytes, &length);
    } else if (is_number(field)) {
        put_number(field, any_number(field, way, chance), bytes, &length);
    } else if (kind == YS_FORMAT_TEXT || kind == YS_FORMAT_UTF16 || kind == YS_FORMAT_BYTES) {
        const struct ys_field fixed = {.format = field->format, .length = field->length, .fixed = true};
        (void)string_bytes(kind == YS_FORMAT_BYTES ? &fixed : field, way, chance, bytes, &length, &worth);
    } else {
        memset(bytes, 0, length);
    }
    return length;
}

/* Each field that its flags allow, in order: at a limit, or random. */
static bool struct_bytes(const struct ys_field *type, enum ys_access_way way, struct ys_chance *chance, uint8_t *bytes,
                         size_t *length, enum ys_worth *worth)
{
    uint64_t flags[YS_FIELDS_MOST] = {0};
    *length = 0;
    *worth = YS_WORTH_GOOD;
    for (size_t i = 0; i < type->field_count; i++) {
        const struct ys_field *field = &type->fields[i];
        uint32_t most = field->most.number > 0 ? (uint32_t)field->most.number : 1;
        if (!ys_value_is_there(field, flags))
            continue;
        uint32_t count = field->most.number == 0     ? 1
                         : way == YS_ACCESS_LEAST    ? 0
                         : way == YS_ACCESS_GREATEST ? most
                                                     : ys_chance_below(chance, most + 1);
        for (uint32_t k = 0; k < count && *length + ys_value_greatest(field) / most <= YS_VALUE_LONGEST; k++)
            *length += put_item(field, way, chance, bytes + *length, &flags[i]);
    }
    return way != YS_ACCESS_BELOW && way != YS_ACCESS_BEYOND;
}

/* Of other formats, only zeros are certainly valid. */
static bool other_bytes(const struct ys_field *type, enum ys_access_way way, struct ys_chance *chance, uint8_t *bytes,
                        size_t *length, enum ys_worth *worth)
{
    if (type->format->kind == YS_FORMAT_STRUCT)
        return struct_bytes(type, way, chance, bytes, length, worth);
    *length = ys_value_zeros(type);
    *worth = YS_WORTH_OPEN;
    memset(bytes, 0, *length);
    return way != YS_ACCESS_BELOW && way != YS_ACCESS_BEYOND;
}

bool ys_encounter_bytes(const struct ys_characteristic *characteristic, enum ys_access_way way,
                        struct ys_chance *chance, uint8_t *bytes, size_t *length, enum ys_worth *worth)
{
    const struct ys_field *type = &characteristic->type;
    size_t least = ys_value_least(type);
    size_t greatest = ys_value_greatest(type);
    *worth = YS_WORTH_LENGTH;
    if (way == YS_ACCESS_EMPTY || way == YS_ACCESS_SHORT || way == YS_ACCESS_COMMAND_SHORT) {
        *length = way == YS_ACCESS_EMPTY || least == 0 ? 0 : least - 1;
        memset(bytes, 0, *length);
        return least > 0;
    }
    if (way == YS_ACCESS_LONG || way == YS_ACCESS_512) {
        *length = way == YS_ACCESS_512 ? YS_VALUE_LONGEST : greatest + 1;
        memset(bytes, 0x5a, *length);
        return greatest < *length && *length <= YS_VALUE_LONGEST;
    }
    if (is_number(type))
        return number_bytes(characteristic, way, chance, bytes, length, worth);
    enum ys_format_kind kind = type->format->kind;
    if (kind == YS_FORMAT_TEXT || kind == YS_FORMAT_UTF16 || kind == YS_FORMAT_BYTES)
        return string_bytes(type, way, chance, bytes, length, worth);
    return other_bytes(type, way, chance, bytes, length, worth);
}
