/* Generated C for values: named bits, and structures with functions that put and get them. */
#include "design/making/generate_values.h"

#include <math.h>
#include <stdlib.h>

#include "design/making/identifiers.h"
#include "design/model/value.h"

void ys_put_comment(FILE *stream, const char *text)
{
    for (char before = '\0'; *text != '\0'; before = *text++) {
        if ((before == '*' && *text == '/') || (before == '/' && *text == '*'))
            (void)fputc(' ', stream);
        (void)fputc(*text, stream);
    }
}

/* Where a field of a structure lies in the generated code. */
struct place {
    FILE *stream;
    const char *device; /* C identifier of the device */
    const char *id;     /* of the characteristic */
    const struct ys_field *whole;
};

static void put_bit_name(const struct place *place, const struct ys_field *flags, size_t bit)
{
    char *name = ys_identifier_of_bit(place->device, place->id, flags, bit);
    (void)fputs(name, place->stream);
    free(name);
}

static void put_bits(const struct place *place, const struct ys_field *flags)
{
    if (flags->bit_count == 0)
        return;
    (void)fputs("enum {\n", place->stream);
    for (size_t bit = 0; bit < flags->bit_count; bit++) {
        (void)fputs("    ", place->stream);
        put_bit_name(place, flags, bit);
        (void)fprintf(place->stream, " = 0x%llx%s\n", 1ULL << bit, bit + 1 < flags->bit_count ? "," : "");
    }
    (void)fputs("};\n", place->stream);
}

/* Types and functions of the formats */

static const char *c_type(const struct ys_format *format)
{
    static const char *const unsigned_types[] = {"", "uint8_t",  "uint16_t", "uint32_t", "uint32_t",
                                                 "", "uint64_t", "",         "uint64_t"};
    static const char *const signed_types[] = {"", "int8_t",  "int16_t", "int32_t", "int32_t",
                                               "", "int64_t", "",        "int64_t"};
    switch (format->kind) {
    case YS_FORMAT_BOOLEAN:
        return "bool";
    case YS_FORMAT_SIGNED:
        return signed_types[format->size];
    case YS_FORMAT_FLOAT:
        return format->size == 4 ? "float" : "double";
    case YS_FORMAT_MEDFLOAT:
        return "struct ys_medfloat";
    case YS_FORMAT_TEXT:
        return "char";
    case YS_FORMAT_BYTES:
    case YS_FORMAT_WIDE:
    case YS_FORMAT_UTF16:
        return "uint8_t";
    case YS_FORMAT_PAIR:
        return "uint16_t";
    default:
        return unsigned_types[format->size];
    }
}

/* What follows ys_put_ or ys_get_. */
static void put_accessor(FILE *stream, const struct ys_format *format)
{
    if (format->kind == YS_FORMAT_MEDFLOAT)
        (void)fputs(format->name, stream);
    else if (format->kind == YS_FORMAT_SIGNED && format->bits == 12)
        (void)fputs("i12", stream);
    else
        (void)fprintf(stream, "%c%u", format->kind == YS_FORMAT_SIGNED ? 'i' : 'u',
                      format->kind == YS_FORMAT_PAIR ? 16u : 8u * format->size);
}

/* Of any length up to the greatest, which is kept beside it. */
static bool is_text(const struct ys_field *field)
{
    return field->format->kind == YS_FORMAT_TEXT || field->format->kind == YS_FORMAT_UTF16;
}

static bool is_array_of_bytes(const struct ys_field *field)
{
    return field->format->kind == YS_FORMAT_BYTES || field->format->kind == YS_FORMAT_WIDE;
}

/* header */

/* What a raw number means, as a comment; nothing if there is nothing to say. */
static void put_unit(FILE *stream, const struct ys_field *field)
{
    const char *symbol = field->unit != NULL ? field->unit->symbol : "";
    double step = (double)(field->multiplier > 1 ? field->multiplier : 1);
    if (field->halvings > 0)
        (void)fprintf(stream, " /* 1/%ld %s */", 1L << field->halvings, symbol);
    else if (field->has_resolution)
        (void)fprintf(stream, " /* %g %s */", step * pow(10, field->exponent), symbol);
    else if (symbol[0] != '\0')
        (void)fprintf(stream, " /* %s */", symbol);
}

static void put_member(const struct place *place, const struct ys_field *field)
{
    FILE *stream = place->stream;
    const char *type = c_type(field->format);
    if (field->most.number > 0)
        (void)fprintf(stream, "    uint8_t %s_count; /* 0 to %u */\n    %s %s[%u];", field->id,
                      (unsigned)field->most.number, type, field->id, (unsigned)field->most.number);
    else if (is_text(field))
        (void)fprintf(stream, "    uint16_t %s_length; /* 0 to %u */\n    %s %s[%u];", field->id,
                      (unsigned)field->length.number, type, field->id, (unsigned)field->length.number);
    else if (is_array_of_bytes(field))
        (void)fprintf(stream, "    %s %s[%zu];", type, field->id, ys_value_greatest(field));
    else if (field->format->kind == YS_FORMAT_PAIR)
        (void)fprintf(stream, "    %s %s[2];", type, field->id);
    else
        (void)fprintf(stream, "    %s %s;", type, field->id);
    put_unit(stream, field);
    (void)fputc('\n', stream);
}

bool ys_value_is_scalar(const struct ys_characteristic *characteristic)
{
    const struct ys_field *whole = &characteristic->type;
    switch (whole->format->kind) {
    case YS_FORMAT_BOOLEAN:
    case YS_FORMAT_UNSIGNED:
    case YS_FORMAT_SIGNED:
    case YS_FORMAT_FLOAT:
    case YS_FORMAT_MEDFLOAT:
    case YS_FORMAT_FLAGS:
        return whole->most.number == 0;
    default:
        return false;
    }
}

const char *ys_value_c_type(const struct ys_characteristic *characteristic)
{
    return c_type(characteristic->type.format);
}

void ys_value_put_unit(FILE *stream, const struct ys_characteristic *characteristic)
{
    put_unit(stream, &characteristic->type);
}

/* Functions that put and get it in its type, in the header: they cost nothing where they are not called. */
static void put_scalar(FILE *stream, const struct ys_design *design, const struct ys_characteristic *characteristic)
{
    const struct ys_format *format = characteristic->type.format;
    const char *type = c_type(format);
    unsigned bits = 8u * format->size;
    (void)fputs("/* Puts a value of ", stream);
    ys_put_comment(stream, characteristic->name);
    (void)fprintf(stream, ", as it is sent. */\nstatic inline void %s_%s_put(struct ys_writer *writer, %s value)\n{\n",
                  design->id, characteristic->id, type);
    if (format->kind == YS_FORMAT_FLOAT)
        (void)fprintf(stream,
                      "    uint%u_t bits;\n    memcpy(&bits, &value, sizeof bits);\n    ys_put_u%u(writer, bits);\n",
                      bits, bits);
    else {
        (void)fputs("    ys_put_", stream);
        put_accessor(stream, format);
        (void)fputs("(writer, value);\n", stream);
    }
    (void)fprintf(stream,
                  "}\n/* Gets one; false if the bytes are too few or too many. */\nstatic inline bool %s_%s_get(struct "
                  "ys_reader *reader, %s *value)\n{\n",
                  design->id, characteristic->id, type);
    if (format->kind == YS_FORMAT_FLOAT)
        (void)fprintf(stream, "    uint%u_t bits = ys_get_u%u(reader);\n    memcpy(value, &bits, sizeof bits);\n", bits,
                      bits);
    else {
        (void)fputs("    *value = ys_get_", stream);
        put_accessor(stream, format);
        (void)fprintf(stream, "(reader)%s;\n", format->kind == YS_FORMAT_BOOLEAN ? " != 0" : "");
    }
    (void)fputs("    return ys_reader_done(reader);\n}\n\n", stream);
}

void ys_generate_value_header(FILE *stream, const struct ys_design *design,
                              const struct ys_characteristic *characteristic)
{
    const struct ys_field *whole = &characteristic->type;
    const struct place place = {stream, design->id, characteristic->id, whole};
    put_bits(&place, whole);
    for (size_t i = 0; i < whole->field_count; i++)
        put_bits(&place, &whole->fields[i]);
    if (ys_value_is_scalar(characteristic) && (characteristic->read_handler || characteristic->write_handler))
        put_scalar(stream, design, characteristic);
    if (whole->format->kind != YS_FORMAT_STRUCT)
        return;
    (void)fputs("/* The value of ", stream);
    ys_put_comment(stream, characteristic->name);
    (void)fprintf(stream, "; fields that depend on a flag only count when it says so. */\nstruct %s_%s {\n", design->id,
                  characteristic->id);
    for (size_t i = 0; i < whole->field_count; i++)
        put_member(&place, &whole->fields[i]);
    (void)fprintf(stream,
                  "};\n\n/* Puts it, as it is sent. */\nvoid %s_%s_put(struct ys_writer *writer, const struct %s_%s "
                  "*value);\n",
                  design->id, characteristic->id, design->id, characteristic->id);
    (void)fprintf(stream,
                  "/* Gets it; false if the bytes are too few, too many, or more than fit. */\nbool %s_%s_get(struct "
                  "ys_reader *reader, struct %s_%s *value);\n\n",
                  design->id, characteristic->id, design->id, characteristic->id);
}

/* source */

static void open_condition(const struct place *place, const struct ys_field *field)
{
    if (!field->depends)
        return;
    const struct ys_field *flags = &place->whole->fields[field->flags_at];
    (void)fprintf(place->stream, "    if ((value->%s & ", flags->id);
    put_bit_name(place, flags, field->flag);
    (void)fprintf(place->stream, ") %s 0) {\n", field->when.text != NULL ? "!=" : "==");
}

static void close_condition(const struct place *place, const struct ys_field *field)
{
    if (field->depends)
        (void)fputs("    }\n", place->stream);
}

static void put_put(const struct place *place, const struct ys_field *field, const char *indent, const char *index)
{
    FILE *stream = place->stream;
    if (field->format->kind == YS_FORMAT_FLOAT) {
        unsigned bits = 8u * field->format->size;
        (void)fprintf(
            stream,
            "%suint%u_t %s_bits;\n%smemcpy(&%s_bits, &value->%s%s, sizeof %s_bits);\n%sys_put_u%u(writer, %s_bits);\n",
            indent, bits, field->id, indent, field->id, field->id, index, field->id, indent, bits, field->id);
        return;
    }
    (void)fprintf(stream, "%sys_put_", indent);
    put_accessor(stream, field->format);
    (void)fprintf(stream, "(writer, value->%s%s);\n", field->id, index);
}

static void put_get(const struct place *place, const struct ys_field *field, const char *indent, const char *index)
{
    FILE *stream = place->stream;
    if (field->format->kind == YS_FORMAT_FLOAT) {
        unsigned bits = 8u * field->format->size;
        (void)fprintf(stream,
                      "%suint%u_t %s_bits = ys_get_u%u(reader);\n%smemcpy(&value->%s%s, &%s_bits, sizeof %s_bits);\n",
                      indent, bits, field->id, bits, indent, field->id, index, field->id, field->id);
        return;
    }
    (void)fprintf(stream, "%svalue->%s%s = ys_get_", indent, field->id, index);
    put_accessor(stream, field->format);
    (void)fprintf(stream, "(reader)%s;\n", field->format->kind == YS_FORMAT_BOOLEAN ? " != 0" : "");
}

static void put_field_put(const struct place *place, const struct ys_field *field)
{
    const char *id = field->id;
    open_condition(place, field);
    const char *indent = field->depends ? "        " : "    ";
    bool pair = field->format->kind == YS_FORMAT_PAIR;
    if (field->most.number > 0) {
        (void)fprintf(place->stream, "%sfor (size_t i = 0; i < value->%s_count && i < %u; i++) {\n", indent, id,
                      (unsigned)field->most.number);
        put_put(place, field, field->depends ? "            " : "        ", "[i]");
        (void)fprintf(place->stream, "%s}\n", indent);
    } else if (is_text(field)) {
        (void)fprintf(place->stream,
                      "%sys_put_bytes(writer, value->%s, value->%s_length < %u ? value->%s_length : %u);\n", indent, id,
                      id, (unsigned)field->length.number, id, (unsigned)field->length.number);
    } else if (is_array_of_bytes(field)) {
        (void)fprintf(place->stream, "%sys_put_bytes(writer, value->%s, sizeof value->%s);\n", indent, id, id);
    } else {
        put_put(place, field, indent, pair ? "[0]" : "");
        if (pair)
            put_put(place, field, indent, "[1]");
    }
    close_condition(place, field);
}

static void put_field_get(const struct place *place, const struct ys_field *field)
{
    const char *id = field->id;
    open_condition(place, field);
    const char *indent = field->depends ? "        " : "    ";
    bool pair = field->format->kind == YS_FORMAT_PAIR;
    if (field->most.number > 0) {
        (void)fprintf(place->stream, "%swhile (ys_reader_left(reader) > 0 && value->%s_count < %u) {\n", indent, id,
                      (unsigned)field->most.number);
        char index[300];
        (void)snprintf(index, sizeof index, "[value->%s_count]", id);
        put_get(place, field, field->depends ? "            " : "        ", index);
        (void)fprintf(place->stream, "%s    value->%s_count++;\n%s}\n", indent, id, indent);
    } else if (is_text(field)) {
        (void)fprintf(place->stream,
                      "%sif (ys_reader_left(reader) > %u)\n%s    return false;\n%svalue->%s_length = "
                      "(uint16_t)ys_reader_left(reader);\n%sys_get_copy(reader, value->%s, value->%s_length);\n",
                      indent, (unsigned)field->length.number, indent, indent, id, indent, id, id);
    } else if (is_array_of_bytes(field)) {
        (void)fprintf(place->stream, "%sys_get_copy(reader, value->%s, sizeof value->%s);\n", indent, id, id);
    } else {
        put_get(place, field, indent, pair ? "[0]" : "");
        if (pair)
            put_get(place, field, indent, "[1]");
    }
    close_condition(place, field);
}

void ys_generate_value_source(FILE *stream, const struct ys_design *design,
                              const struct ys_characteristic *characteristic)
{
    const struct ys_field *whole = &characteristic->type;
    const struct place place = {stream, design->id, characteristic->id, whole};
    if (whole->format->kind != YS_FORMAT_STRUCT)
        return;
    (void)fprintf(stream, "void %s_%s_put(struct ys_writer *writer, const struct %s_%s *value)\n{\n", design->id,
                  characteristic->id, design->id, characteristic->id);
    for (size_t i = 0; i < whole->field_count; i++)
        put_field_put(&place, &whole->fields[i]);
    (void)fprintf(stream, "}\n\nbool %s_%s_get(struct ys_reader *reader, struct %s_%s *value)\n{\n", design->id,
                  characteristic->id, design->id, characteristic->id);
    (void)fputs("    memset(value, 0, sizeof *value);\n", stream);
    for (size_t i = 0; i < whole->field_count; i++)
        put_field_get(&place, &whole->fields[i]);
    (void)fputs("    return ys_reader_done(reader);\n}\n\n", stream);
}
