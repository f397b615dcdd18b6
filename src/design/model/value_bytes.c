/* The bytes of a value. */
#include "design/model/value_bytes.h"

#include <iconv.h>
#include <string.h>

#include <yarnswift/medfloat.h>

const char *const ys_medfloat_words[] = {
    [YS_MEDFLOAT_NUMBER] = "",
    [YS_MEDFLOAT_NAN] = "not a number",
    [YS_MEDFLOAT_NRES] = "not at this resolution",
    [YS_MEDFLOAT_INFINITE] = "infinite",
    [YS_MEDFLOAT_NEGATIVE_INFINITE] = "-infinite",
    [YS_MEDFLOAT_RESERVED] = "reserved",
};

/* Turns one encoding into another. Returns how many bytes it gives, or -1 if it is none, or too long. */
int ys_value_convert(const char *to, const char *from, const void *bytes, size_t length, void *out, size_t size)
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

/* A number of which the most significant byte is sent first, in the order in which all others are. */
const uint8_t *ys_value_in_order(const struct ys_field *field, const uint8_t *bytes, uint8_t turned[16])
{
    size_t size = field->format->size;
    if (field->order != YS_MOST_FIRST + 1 || size > 16)
        return bytes;
    for (size_t i = 0; i < size; i++)
        turned[i] = bytes[size - 1 - i];
    return turned;
}

uint64_t ys_value_bits(const struct ys_format *format, const uint8_t *bytes)
{
    uint64_t value = 0;
    for (size_t i = format->size; i > 0; i--)
        value = value << 8 | bytes[i - 1];
    return value;
}

const char *ys_value_name(const struct ys_field *field, uint64_t number)
{
    for (size_t i = 0; i < field->name_count; i++) {
        if (field->names[i].number == number)
            return field->names[i].name;
    }
    return NULL;
}

/* Whether an optional field is there, by the flags before it. */
bool ys_value_is_there(const struct ys_field *field, const uint64_t *flags)
{
    return !field->depends || ((flags[field->flags_at] >> field->flag & 1) != 0) == (field->when.text != NULL);
}
