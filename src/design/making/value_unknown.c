/* Values whose meaning may be unknown, and values that explain themselves. */
#include "design/making/value_unknown.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "design/model/value.h"
#include "design/model/value_parse.h"
#include "design/reading/catalogue.h"
#include "wire/hex.h"

#define BYTES_WORD "bytes "

/* The formats in which a few bytes are likely to be a number. */
static const char *const likely_formats[] = {"uint8",  "sint8",  "uint16", "sint16", "uint24", "sint24",
                                             "uint32", "sint32", "uint48", "sint48", "uint64", "sint64"};

#define LIKELY_COUNT (sizeof likely_formats / sizeof likely_formats[0])

/* out */

static bool is_text(const uint8_t *bytes, size_t length)
{
    for (size_t i = 0; i < length; i++) {
        if (bytes[i] < 0x20 || bytes[i] > 0x7e || bytes[i] == '"' || bytes[i] == '\\')
            return false;
    }
    return length > 0;
}

/* Numbers in all formats of that length; the signed one only where it differs. */
static void put_numbers(const uint8_t *bytes, size_t length, const char *between, FILE *stream)
{
    for (size_t i = 0; i < LIKELY_COUNT; i++) {
        const struct ys_field field = {.format = ys_format_find(likely_formats[i])};
        char text[32];
        bool negative = (bytes[length - 1] & 0x80) != 0;
        if (field.format->size != length || (field.format->kind == YS_FORMAT_SIGNED && !negative))
            continue;
        ys_value_format(&field, bytes, length, text, sizeof text);
        (void)fprintf(stream, "%s%s %s", between, likely_formats[i], text);
        between = ", ";
    }
}

static void put_unknown(const uint8_t *bytes, size_t length, FILE *stream)
{
    bool text = is_text(bytes, length);
    bool number = length > 0 && length <= 8 && length != 5 && length != 7;
    for (size_t i = 0; i < length; i++)
        (void)fprintf(stream, "%s%02x", i > 0 ? " " : "", bytes[i]);
    if (!text && !number)
        return;
    (void)fputs(" (", stream);
    if (text)
        (void)fprintf(stream, "\"%.*s\"", (int)length, (const char *)bytes);
    if (number)
        put_numbers(bytes, length, text ? ", " : "", stream);
    (void)fputc(')', stream);
}

void ys_value_say(const struct ys_field *field, const uint8_t *bytes, size_t length, char *text, size_t size)
{
    if (field != NULL) {
        ys_value_format(field, bytes, length, text, size);
        return;
    }
    memset(text, 0, size);
    FILE *stream = fmemopen(text, size, "w");
    if (stream == NULL)
        return;
    put_unknown(bytes, length, stream);
    (void)fclose(stream);
    text[size - 1] = '\0';
}

void ys_value_show(const struct ys_field *field, const uint8_t *bytes, size_t length, char *text, size_t size)
{
    char raw[100];
    ys_value_say(field, bytes, length, text, size);
    (void)ys_hex_format(bytes, length, " ", raw, sizeof raw);
    size_t used = strlen(text);
    if (length == 0)
        (void)snprintf(text, size, "(empty)");
    else if (strncmp(text, raw, strlen(raw)) != 0)
        (void)snprintf(text + used, size - used, "  [%s]", raw);
}

/* in */

static const struct ys_format bytes_format = {"bytes", YS_FORMAT_BYTES, 0, 0};

static int hear_bytes(const char *text, size_t span, uint8_t *bytes, size_t size, const char **problem)
{
    const struct ys_field field = {.format = &bytes_format};
    char part[3 * YS_VALUE_LONGEST + 1];
    *problem = "it is too long";
    if (span >= sizeof part)
        return -1;
    memcpy(part, text, span);
    part[span] = '\0';
    return ys_value_parse(&field, part, bytes, size, problem);
}

/* What stands between quotes, in which \xNN is a byte. */
static int hear_quoted(const char *text, uint8_t *bytes, size_t size, const char **problem)
{
    size_t length = 0;
    *problem = "it is a text that does not end with a quote, or is too long";
    for (text++; *text != '"'; text++) {
        bool escaped = text[0] == '\\' && text[1] == 'x' && ys_hex_digit(text[2]) >= 0 && ys_hex_digit(text[3]) >= 0;
        if (*text == '\0' || length == size)
            return -1;
        bytes[length++] = escaped ? (uint8_t)(ys_hex_digit(text[2]) << 4 | ys_hex_digit(text[3])) : (uint8_t)*text;
        text += escaped ? 3 : 0;
    }
    return text[1] == '\0' ? (int)length : -1;
}

static int hear_unknown(const char *text, uint8_t *bytes, size_t size, const char **problem)
{
    for (size_t i = 0; i < LIKELY_COUNT; i++) {
        size_t length = strlen(likely_formats[i]);
        const struct ys_field field = {.format = ys_format_find(likely_formats[i])};
        if (strncmp(text, likely_formats[i], length) == 0 && text[length] == ' ')
            return ys_value_parse(&field, text + length + 1, bytes, size, problem);
    }
    int used = hear_bytes(text, strcspn(text, "("), bytes, size, problem);
    if (used < 0)
        *problem = "unknown format: write bytes (2a 00), a text (\"hello\"), or a format and a number (uint16 42)";
    return used;
}

int ys_value_hear(const struct ys_field *field, const char *text, uint8_t *bytes, size_t size, const char **problem)
{
    bool texts = field == NULL || field->format->kind == YS_FORMAT_TEXT;
    if (strncmp(text, BYTES_WORD, strlen(BYTES_WORD)) == 0)
        return hear_bytes(text + strlen(BYTES_WORD), strlen(text + strlen(BYTES_WORD)), bytes, size, problem);
    if (text[0] == '"' && texts)
        return hear_quoted(text, bytes, size, problem);
    return field != NULL ? ys_value_parse(field, text, bytes, size, problem) : hear_unknown(text, bytes, size, problem);
}

/* what a value tells of itself */

static const struct ys_format *format_of(uint8_t number)
{
    const struct ys_adopted *adopted = ys_adopted_by_number(YS_ADOPTED_FORMAT, number);
    return adopted != NULL ? ys_format_find(adopted->name) : NULL;
}

struct ys_field *ys_value_told(const uint8_t *descriptor, size_t length)
{
    struct ys_reader reader = ys_reader_of(descriptor, length);
    const struct ys_format *format = format_of(ys_get_u8(&reader));
    int8_t exponent = (int8_t)ys_get_u8(&reader);
    const struct ys_adopted *unit = ys_adopted_by_number(YS_ADOPTED_UNIT, ys_get_u16(&reader));
    (void)ys_get_u8(&reader);  /* whose description: */
    (void)ys_get_u16(&reader); /* which does not say what the bytes are */
    if (!ys_reader_done(&reader) || format == NULL || format->kind == YS_FORMAT_STRUCT)
        return NULL;
    struct ys_field *field = calloc(1, sizeof *field);
    if (field == NULL)
        return NULL;
    field->format = format;
    field->exponent = format->kind == YS_FORMAT_UNSIGNED || format->kind == YS_FORMAT_SIGNED ? exponent : 0;
    field->unit = unit != NULL ? ys_unit_find(unit->name) : NULL;
    field->length.number = format->size != 0 ? format->size : YS_VALUE_LONGEST;
    return field;
}
