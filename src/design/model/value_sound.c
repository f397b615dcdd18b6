/* Whether a value makes sense. */
#include <stdio.h>

#include "design/model/value.h"
#include "design/model/value_bytes.h"

static uint64_t bits_of(const struct ys_field *field, const uint8_t *bytes)
{
    uint8_t turned[16];
    return ys_value_bits(field->format, ys_value_in_order(field, bytes, turned));
}

/* One that has a format of its own. */
static bool is_field_sound(const struct ys_field *field, const uint8_t *bytes, size_t length, char *text, size_t size)
{
    const struct ys_format *format = field->format;
    const char *name = field->name != NULL ? field->name : "it";
    bool whole = format->size > 0 && length == format->size && format->bits <= 64 && field->most.number == 0;
    if (!whole)
        return true;
    if (format->kind == YS_FORMAT_BOOLEAN && bits_of(field, bytes) > 1) {
        (void)snprintf(text, size, "has %s of 0x%02x, which is neither true nor false", name, bytes[0]);
        return false;
    }
    if (format->kind == YS_FORMAT_FLAGS && field->bit_count > 0 && field->bit_count < 64 &&
        bits_of(field, bytes) >> field->bit_count != 0) {
        (void)snprintf(text, size, "has bits in %s that have no name: 0x%llx", name,
                       (unsigned long long)bits_of(field, bytes));
        return false;
    }
    if (field->name_count > 0 && ys_value_name(field, bits_of(field, bytes)) == NULL) {
        (void)snprintf(text, size, "has %s of %llu, which has no name", name,
                       (unsigned long long)bits_of(field, bytes));
        return false;
    }
    return true;
}

/* The ends of a format, and those beside them, by which adopted types say that a value is not known, or not valid. */
static bool is_at_end(const struct ys_format *format, int64_t raw)
{
    unsigned bits = format->bits;
    bool is_signed = format->kind == YS_FORMAT_SIGNED;
    int64_t greatest = bits - is_signed >= 63 ? INT64_MAX : (INT64_C(1) << (bits - is_signed)) - 1;
    return raw >= greatest - 1 || (is_signed && raw == -greatest - 1);
}

static bool is_in_range(const struct ys_characteristic *characteristic, const uint8_t *bytes, size_t length, char *text,
                        size_t size)
{
    const struct ys_field *type = &characteristic->type;
    char is[60];
    if ((!characteristic->has_range && !characteristic->has_usual) || length != type->format->size)
        return true;
    const int64_t *range = characteristic->has_range ? characteristic->range : characteristic->usual;
    int64_t raw = ys_value_decode(type, bytes);
    if ((raw >= range[0] && raw <= range[1]) || (!characteristic->has_range && is_at_end(type->format, raw)))
        return true;
    ys_value_format(type, bytes, length, is, sizeof is);
    (void)snprintf(text, size, "is %s, which is out of its range", is);
    return false;
}

bool ys_value_is_sound(const struct ys_characteristic *characteristic, const uint8_t *bytes, size_t length, char *text,
                       size_t size)
{
    const struct ys_field *type = &characteristic->type;
    if (!ys_value_fits(type, bytes, length))
        return true;
    if (!is_in_range(characteristic, bytes, length, text, size) || !is_field_sound(type, bytes, length, text, size))
        return false;
    for (size_t i = 0; i < type->field_count; i++) {
        size_t part_length = 0;
        const uint8_t *part = ys_value_part(type, bytes, length, &type->fields[i], &part_length);
        if (part != NULL && !is_field_sound(&type->fields[i], part, part_length, text, size))
            return false;
    }
    return true;
}
