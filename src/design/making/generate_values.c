/* Generated C for values: named bits, structures, and functions that put and get them. */
#include "design/making/generate_values.h"

#include <math.h>
#include <stdlib.h>

#include "design/making/c_text.h"
#include "design/making/naming.h"
#include "design/model/value.h"

/* Where a field of a structure lies in the generated code. */
struct place {
    FILE *stream;
    const char *device; /* C identifier of the device */
    const char *id;     /* of the characteristic */
    const struct ys_field *whole;
};

static void put_word(const struct place *place, const struct ys_field *field, const char *word)
{
    char *name = ys_identifier_of_word(place->device, place->id, field, word);
    (void)fputs(name, place->stream);
    free(name);
}

/* The constants of named bits, or of named numbers. */
static void put_words(const struct place *place, const struct ys_field *field)
{
    if (field->bit_count == 0 && field->name_count == 0)
        return;
    (void)fputs("enum {\n", place->stream);
    for (size_t bit = 0; bit < field->bit_count; bit++) {
        (void)fputs("    ", place->stream);
        put_word(place, field, field->bits[bit]);
        (void)fprintf(place->stream, " = 0x%llx%s\n", 1ULL << bit, bit + 1 < field->bit_count ? "," : "");
    }
    for (size_t i = 0; i < field->name_count; i++) {
        (void)fputs("    ", place->stream);
        put_word(place, field, field->names[i].name);
        (void)fprintf(place->stream, " = %llu%s\n", (unsigned long long)field->names[i].number,
                      i + 1 < field->name_count ? "," : "");
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

/* What a raw number means: its unit and step; nothing if there is nothing to say. */
static void put_unit(FILE *stream, const struct ys_field *field, const char *before, const char *after)
{
    const char *symbol = field->unit != NULL ? field->unit->symbol : "";
    double step = (double)(field->multiplier > 1 ? field->multiplier : 1);
    if (field->halvings == 0 && !field->has_resolution && symbol[0] == '\0')
        return;
    (void)fputs(before, stream);
    if (field->halvings > 0)
        (void)fprintf(stream, "1/%ld%s", 1L << field->halvings, symbol[0] != '\0' ? " " : "");
    else if (field->has_resolution)
        (void)fprintf(stream, "%g%s", step * pow(10, field->exponent), symbol[0] != '\0' ? " " : "");
    (void)fprintf(stream, "%s%s", symbol, after);
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
    put_unit(stream, field, " /* ", " */");
    (void)fputc('\n', stream);
}

const char *ys_value_c_type(const struct ys_field *type)
{
    return c_type(type->format);
}

void ys_value_put_unit(FILE *stream, const struct ys_field *type)
{
    put_unit(stream, type, " /* ", " */");
}

struct ys_typed ys_typed_of(const struct ys_design *design, const struct ys_characteristic *characteristic)
{
    return (struct ys_typed){design->id, characteristic->id, characteristic->name, &characteristic->type};
}

static void put_struct(const struct place *place, const char *name)
{
    bool depends = false;
    for (size_t i = 0; i < place->whole->field_count; i++)
        depends = depends || place->whole->fields[i].depends;
    (void)fputs("/* The value of ", place->stream);
    ys_c_put_comment(place->stream, name);
    (void)fprintf(place->stream, "%s. */\nstruct %s_%s {\n",
                  depends ? "; fields that depend on a flag only count when it says so" : "", place->device, place->id);
    for (size_t i = 0; i < place->whole->field_count; i++)
        put_member(place, &place->whole->fields[i]);
    (void)fputs("};\n\n", place->stream);
}

/* Numbers: `what` is a C expression of one, or where it goes. */

static bool is_most_first(const struct ys_field *field)
{
    return field->order == YS_MOST_FIRST + 1;
}

static bool is_signed_12(const struct ys_field *field)
{
    return field->format->kind == YS_FORMAT_SIGNED && field->format->bits == 12;
}

static void put_number_put(const struct place *place, const struct ys_field *field, const char *indent,
                           const char *what)
{
    FILE *stream = place->stream;
    unsigned size = field->format->size;
    bool real = field->format->kind == YS_FORMAT_FLOAT;
    if (real)
        (void)fprintf(stream, "%s{\n%s    uint%u_t bits;\n%s    memcpy(&bits, &%s, sizeof bits);\n%s    ", indent,
                      indent, 8u * size, indent, what, indent);
    else
        (void)fputs(indent, stream);
    if (is_most_first(field)) {
        (void)fprintf(stream, "ys_put_most_first(writer, (uint64_t)%s%s, %u);\n", real ? "bits" : what,
                      is_signed_12(field) ? " & 0xfff" : "", size);
    } else {
        (void)fputs("ys_put_", stream);
        put_accessor(stream, field->format);
        (void)fprintf(stream, "(writer, %s);\n", real ? "bits" : what);
    }
    if (real)
        (void)fprintf(stream, "%s}\n", indent);
}

static void put_number_get(const struct place *place, const struct ys_field *field, const char *indent,
                           const char *what)
{
    FILE *stream = place->stream;
    unsigned size = field->format->size;
    bool real = field->format->kind == YS_FORMAT_FLOAT;
    if (real)
        (void)fprintf(stream, "%s{\n%s    uint%u_t bits = ", indent, indent, 8u * size);
    else
        (void)fprintf(stream, "%s%s = ", indent, what);
    if (is_most_first(field) && is_signed_12(field)) {
        (void)fputs("(int16_t)((int16_t)((ys_get_most_first(reader, 2) & 0xfff) ^ 0x800) - 0x800)", stream);
    } else if (is_most_first(field)) {
        if (real)
            (void)fprintf(stream, "(uint%u_t)", 8u * size);
        else
            (void)fprintf(stream, "(%s)", c_type(field->format));
        (void)fprintf(stream, "ys_get_%smost_first(reader, %u)",
                      field->format->kind == YS_FORMAT_SIGNED ? "signed_" : "", size);
    } else {
        (void)fputs("ys_get_", stream);
        put_accessor(stream, field->format);
        (void)fprintf(stream, "(reader)%s", field->format->kind == YS_FORMAT_BOOLEAN ? " != 0" : "");
    }
    (void)fputs(";\n", stream);
    if (real)
        (void)fprintf(stream, "%s    memcpy(&%s, &bits, sizeof bits);\n%s}\n", indent, what, indent);
}

/* Structures */

static void open_condition(const struct place *place, const struct ys_field *field)
{
    if (!field->depends)
        return;
    const struct ys_field *flags = &place->whole->fields[field->flags_at];
    (void)fprintf(place->stream, "    if ((value->%s & ", flags->id);
    put_word(place, flags, flags->bits[field->flag]);
    (void)fprintf(place->stream, ") %s 0) {\n", field->when.text != NULL ? "!=" : "==");
}

static void close_condition(const struct place *place, const struct ys_field *field)
{
    if (field->depends)
        (void)fputs("    }\n", place->stream);
}

static void put_member_put(const struct place *place, const struct ys_field *field, const char *indent,
                           const char *index)
{
    char what[300];
    (void)snprintf(what, sizeof what, "value->%s%s", field->id, index);
    put_number_put(place, field, indent, what);
}

static void put_member_get(const struct place *place, const struct ys_field *field, const char *indent,
                           const char *index)
{
    char what[600];
    (void)snprintf(what, sizeof what, "value->%s%s", field->id, index);
    put_number_get(place, field, indent, what);
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
        put_member_put(place, field, field->depends ? "            " : "        ", "[i]");
        (void)fprintf(place->stream, "%s}\n", indent);
    } else if (is_text(field)) {
        (void)fprintf(place->stream,
                      "%sys_put_bytes(writer, value->%s, value->%s_length < %u ? value->%s_length : %u);\n", indent, id,
                      id, (unsigned)field->length.number, id, (unsigned)field->length.number);
    } else if (is_array_of_bytes(field)) {
        (void)fprintf(place->stream, "%sys_put_bytes(writer, value->%s, sizeof value->%s);\n", indent, id, id);
    } else {
        put_member_put(place, field, indent, pair ? "[0]" : "");
        if (pair)
            put_member_put(place, field, indent, "[1]");
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
        put_member_get(place, field, field->depends ? "            " : "        ", index);
        (void)fprintf(place->stream, "%s    value->%s_count++;\n%s}\n", indent, id, indent);
    } else if (is_text(field)) {
        (void)fprintf(place->stream,
                      "%sif (ys_reader_left(reader) > %u)\n%s    return false;\n%svalue->%s_length = "
                      "(uint16_t)ys_reader_left(reader);\n%sys_get_copy(reader, value->%s, value->%s_length);\n",
                      indent, (unsigned)field->length.number, indent, indent, id, indent, id, id);
    } else if (is_array_of_bytes(field)) {
        (void)fprintf(place->stream, "%sys_get_copy(reader, value->%s, sizeof value->%s);\n", indent, id, id);
    } else {
        put_member_get(place, field, indent, pair ? "[0]" : "");
        if (pair)
            put_member_get(place, field, indent, "[1]");
    }
    close_condition(place, field);
}

static void put_functions(const struct place *place, const char *name)
{
    FILE *stream = place->stream;
    const struct ys_field *whole = place->whole;
    bool scalar = ys_value_is_scalar(whole);
    char type[300];
    if (scalar)
        (void)snprintf(type, sizeof type, "%s", c_type(whole->format));
    else
        (void)snprintf(type, sizeof type, "struct %s_%s", place->device, place->id);
    (void)fputs("/* Puts a value of ", stream);
    ys_c_put_comment(stream, name);
    put_unit(stream, whole, " (", ")");
    (void)fprintf(stream,
                  ", as it is sent. */\nstatic inline void %s_%s_put(struct ys_writer *writer, %s%s %svalue)\n{\n",
                  place->device, place->id, scalar ? "" : "const ", type, scalar ? "" : "*");
    if (scalar)
        put_number_put(place, whole, "    ", "value");
    for (size_t i = 0; i < whole->field_count; i++)
        put_field_put(place, &whole->fields[i]);
    (void)fprintf(
        stream,
        "}\n\n/* Gets one; false if the bytes are too few, too many, or more than fit. */\nstatic inline bool "
        "%s_%s_get(struct ys_reader *reader, %s *value)\n{\n",
        place->device, place->id, type);
    if (scalar)
        put_number_get(place, whole, "    ", "*value");
    else
        (void)fputs("    memset(value, 0, sizeof *value);\n", stream);
    for (size_t i = 0; i < whole->field_count; i++)
        put_field_get(place, &whole->fields[i]);
    (void)fputs("    return ys_reader_done(reader);\n}\n\n", stream);
}

void ys_generate_value(FILE *stream, const struct ys_typed *typed)
{
    const struct ys_field *whole = typed->type;
    const struct place place = {stream, typed->device, typed->id, whole};
    put_words(&place, whole);
    for (size_t i = 0; i < whole->field_count; i++)
        put_words(&place, &whole->fields[i]);
    if (whole->format->kind == YS_FORMAT_STRUCT)
        put_struct(&place, typed->name);
    if (ys_value_has_functions(whole))
        put_functions(&place, typed->name);
}

void ys_generate_range_check(FILE *stream, const char *device, const struct ys_characteristic *one, const char *indent)
{
    char *prefix = ys_new_upper("%s_%s", device, one->id);
    bool below = ys_range_limits_below(one);
    bool above = ys_range_limits_above(one);
    (void)fprintf(stream, "%sif (", indent);
    if (below)
        (void)fprintf(stream, "wanted < %s_MIN", prefix);
    if (above)
        (void)fprintf(stream, "%swanted > %s_MAX", below ? " || " : "", prefix);
    (void)fprintf(stream, ")\n%s    return YS_ATT_OUT_OF_RANGE;\n", indent);
    free(prefix);
}
