/* Types of values, and values that are written in them. */
#include "design/checking/check_type.h"

#include <stdlib.h>
#include <string.h>

#include "design/making/identifiers.h"
#include "design/model/memory.h"
#include "design/model/value.h"
#include "design/model/value_parse.h"
#include "design/model/words.h"

#define NAMES_MOST 256 /* of the numbers of one value */

/* A resolution needs a number; if it is no power of ten, their product must be exact. */
static void check_resolution(struct ys_design *design, const struct ys_field *field, struct ys_place place,
                             const char *name)
{
    bool number = field->format->kind == YS_FORMAT_UNSIGNED || field->format->kind == YS_FORMAT_SIGNED;
    if (field->has_resolution && !number)
        ys_findings_add(&design->findings, YS_ERROR, "resolution", place,
                        "\"%s\" has a resolution, which only whole numbers have: leave it out", name);
    if ((field->multiplier > 1 || field->halvings > 0) && field->format->bits > 32)
        ys_findings_add(&design->findings, YS_ERROR, "resolution", place,
                        "\"%s\" is too wide for this resolution: use a format of at most 32 bits, or a power of ten",
                        name);
}

/* structures */

static bool is_open_ended(const struct ys_field *field)
{
    return field->most.number > 0 || field->format->kind == YS_FORMAT_TEXT || field->format->kind == YS_FORMAT_UTF16;
}

/* Finds the bit that an optional field depends on, among the flags before it. */
static void resolve_dependence(struct ys_design *design, const struct ys_field *whole, size_t index)
{
    struct ys_field *field = &whole->fields[index];
    const struct ys_written *flag = field->when.text != NULL ? &field->when : &field->unless;
    if (!field->depends)
        return;
    if (field->when.text != NULL && field->unless.text != NULL)
        ys_findings_add(&design->findings, YS_ERROR, "structure", field->unless.place,
                        "\"%s\" has both when and unless: leave one out", field->name);
    for (size_t i = 0; i < index; i++) {
        for (size_t bit = 0; bit < whole->fields[i].bit_count; bit++) {
            if (strcmp(whole->fields[i].bits[bit], flag->text) == 0) {
                field->flags_at = i;
                field->flag = bit;
                return;
            }
        }
    }
    field->depends = false;
    ys_findings_add(&design->findings, YS_ERROR, "flag-unknown", flag->place,
                    "no flags before it have a bit \"%s\": name one of their bits", flag->text);
}

/* A name of a bit or a number is written in values, with others beside it: it must not read as one of those. */
static void check_word(struct ys_design *design, const char *word, struct ys_place place, const char *name)
{
    if (word[0] == '\0' || strpbrk(word, ",;\"[]+") != NULL)
        ys_findings_add(&design->findings, YS_ERROR, "value-names", place,
                        "\"%s\" has a name \"%s\" in it: it may not be empty or have one of , ; \" [ ] + in it", name,
                        word);
}

/* Enumerated values: a number with two names, or a name of two numbers, is an error. */
static void check_named_numbers(struct ys_design *design, const struct ys_field *field, const char *name)
{
    struct ys_findings *findings = &design->findings;
    struct ys_place place = field->names_place;
    bool counts = field->format->kind == YS_FORMAT_UNSIGNED && !field->has_resolution && field->unit == NULL;
    uint64_t greatest = field->format->bits < 31 ? (UINT64_C(1) << field->format->bits) - 1 : INT32_MAX;
    if (field->name_count > 0 && !counts)
        ys_findings_add(findings, YS_ERROR, "value-names", place,
                        "only whole numbers without sign, unit and resolution have names: give \"%s\" a format such as "
                        "uint8, or leave names out",
                        name);
    if (field->name_count > NAMES_MOST)
        ys_findings_add(findings, YS_ERROR, "value-names", place, "\"%s\" has %zu names of numbers: the maximum is %d",
                        name, field->name_count, NAMES_MOST);
    for (size_t i = 0; i < field->name_count && counts && field->name_count <= NAMES_MOST; i++) {
        const struct ys_named_number *one = &field->names[i];
        check_word(design, one->name, place, name);
        if ((one->name[0] >= '0' && one->name[0] <= '9') || one->name[0] == '-')
            ys_findings_add(findings, YS_ERROR, "value-names", place,
                            "\"%s\" would be read as a number: begin the name with a letter", one->name);
        if (one->number > greatest)
            ys_findings_add(findings, YS_ERROR, "value-names", place,
                            "\"%s\" is the name of %llu: %s has names up to %llu", one->name,
                            (unsigned long long)one->number, field->format->name, (unsigned long long)greatest);
        for (size_t j = 0; j < i; j++) {
            if (ys_word_is_equal(one->name, field->names[j].name))
                ys_findings_add(findings, YS_ERROR, "name-clash", place,
                                "\"%s\" has two numbers called \"%s\": rename one", name, one->name);
            else if (one->number == field->names[j].number)
                ys_findings_add(findings, YS_ERROR, "name-clash", place,
                                "\"%s\" and \"%s\" are both %llu: leave one out", field->names[j].name, one->name,
                                (unsigned long long)one->number);
        }
    }
}

static void check_bits(struct ys_design *design, const struct ys_field *field, struct ys_place place, const char *name)
{
    bool flags = field->format->kind == YS_FORMAT_FLAGS;
    if (!flags && field->bit_count > 0)
        ys_findings_add(&design->findings, YS_ERROR, "structure", place,
                        "only flags have bits: give it a format such as boolean[8]");
    if (flags && field->bit_count > field->format->bits)
        ys_findings_add(&design->findings, YS_ERROR, "structure", place,
                        "\"%s\" names %zu bits and has %u: take a longer format", name, field->bit_count,
                        field->format->bits);
    for (size_t i = 0; i < field->bit_count; i++) {
        check_word(design, field->bits[i], place, name);
        if (strcmp(field->bits[i], "none") == 0)
            ys_findings_add(&design->findings, YS_ERROR, "value-names", place,
                            "\"%s\" has a bit \"none\", which means that no bit is set: rename it", name);
    }
    for (size_t i = 1; i < field->bit_count && field->bit_count <= field->format->bits; i++) {
        for (size_t j = 0; j < i; j++) {
            if (ys_word_is_equal(field->bits[i], field->bits[j]))
                ys_findings_add(&design->findings, YS_ERROR, "name-clash", place,
                                "\"%s\" has two bits \"%s\": rename one", name, field->bits[i]);
        }
    }
}

/* Of two fields, no member may be called as one of the other is: "x" with a count beside it, and "x count". */
static void check_members(struct ys_findings *findings, const struct ys_field *first, const struct ys_field *second)
{
    char *names[2][2];
    ys_identifiers_of_field(first, names[0]);
    ys_identifiers_of_field(second, names[1]);
    for (size_t i = 0; i < 4; i++) {
        const char *a = names[0][i % 2];
        const char *b = names[1][i / 2];
        if (a == NULL || b == NULL || strcmp(a, b) != 0)
            continue;
        ys_findings_add(findings, YS_ERROR, "name-clash", second->place,
                        "the field \"%s\" has the same name in C as \"%s\": rename one", second->name, first->name);
        break;
    }
    for (size_t i = 0; i < 4; i++)
        free(names[i / 2][i % 2]);
}

static void check_field(struct ys_design *design, const struct ys_field *whole, size_t index)
{
    struct ys_field *field = &whole->fields[index];
    struct ys_findings *findings = &design->findings;
    enum ys_format_kind kind = field->format->kind;
    if (field->most.number > 0 && (kind == YS_FORMAT_TEXT || kind == YS_FORMAT_UTF16 || kind == YS_FORMAT_BYTES ||
                                   kind == YS_FORMAT_WIDE || kind == YS_FORMAT_PAIR))
        ys_findings_add(findings, YS_ERROR, "structure", field->most.place,
                        "an array is one of numbers or flags of at most 64 bits, not of %s: leave up to out",
                        field->format->name);
    if (kind == YS_FORMAT_STRUCT)
        ys_findings_add(findings, YS_ERROR, "structure", field->place,
                        "a field cannot be a structure itself: list its fields here");
    check_bits(design, field, field->place, field->name);
    check_named_numbers(design, field, field->name);
    if (field->format->size == 0 && kind != YS_FORMAT_STRUCT && field->length.number == 0)
        ys_findings_add(findings, YS_ERROR, "length", field->place, "\"%s\" has no length: add its number of bytes",
                        field->name);
    if (field->format->size != 0 && field->length.number != 0)
        ys_findings_add(findings, YS_ERROR, "length", field->length.place,
                        "%s is always %u bytes long: leave the length out", field->format->name, field->format->size);
    if (is_open_ended(field) && index + 1 < whole->field_count)
        ys_findings_add(findings, YS_ERROR, "structure", field->place,
                        "\"%s\" has a variable length: make it the last field", field->name);
    for (size_t i = 0; i < index; i++)
        check_members(findings, &whole->fields[i], field);
    if (ys_is_keyword(field->id))
        ys_findings_add(findings, YS_ERROR, "name-keyword", field->place, "\"%s\" is a keyword of C or C++: rename it",
                        field->name);
    check_resolution(design, field, field->place, field->name);
    resolve_dependence(design, whole, index);
}

/* False if the structure cannot be used at all. */
static bool check_fields(struct ys_design *design, const struct ys_field *whole, const char *name,
                         struct ys_place place)
{
    bool is_struct = whole->format->kind == YS_FORMAT_STRUCT;
    if (!is_struct && whole->field_count > 0)
        ys_findings_add(&design->findings, YS_ERROR, "structure", place, "\"%s\" has fields: give it format: struct",
                        name);
    if (!is_struct)
        return true;
    if (whole->field_count == 0 || whole->field_count > YS_FIELDS_MOST) {
        ys_findings_add(&design->findings, YS_ERROR, "structure", place,
                        "\"%s\" is a structure of %zu fields: list 1 to %d of them", name, whole->field_count,
                        YS_FIELDS_MOST);
        return false;
    }
    for (size_t i = 0; i < whole->field_count; i++) {
        if (whole->fields[i].name == NULL || whole->fields[i].format == NULL)
            return false; /* has been said */
    }
    for (size_t i = 0; i < whole->field_count; i++)
        check_field(design, whole, i);
    if (ys_value_greatest(whole) > 512)
        ys_findings_add(&design->findings, YS_ERROR, "length", place,
                        "\"%s\" can be %zu bytes long: an attribute has at most 512", name, ys_value_greatest(whole));
    return true;
}

static void check_length(struct ys_design *design, struct ys_field *type)
{
    const struct ys_format *format = type->format;
    if (format->kind == YS_FORMAT_STRUCT && type->length.number != 0)
        ys_findings_add(&design->findings, YS_ERROR, "length", type->length.place,
                        "a structure is as long as its fields: leave the length out");
    if (format->size != 0 && type->length.number != 0 && type->length.number != format->size)
        ys_findings_add(&design->findings, YS_ERROR, "length", type->length.place,
                        "%s is always %u bytes long: leave the length out", format->name, format->size);
    if (format->kind == YS_FORMAT_STRUCT)
        type->length.number = ys_value_greatest(type);
    else if (format->size != 0)
        type->length.number = format->size;
}

bool ys_check_type(struct ys_design *design, struct ys_field *type, const char *name, struct ys_place place)
{
    if (!check_fields(design, type, name, place)) {
        type->length.number = 1;
        return false;
    }
    if (type->format->kind != YS_FORMAT_STRUCT)
        check_bits(design, type, place, name);
    check_named_numbers(design, type, name);
    check_resolution(design, type, place, name);
    check_length(design, type);
    return true;
}

uint8_t *ys_check_value(struct ys_design *design, struct ys_field *type, const struct ys_written *written,
                        const char *name, size_t *length)
{
    uint8_t bytes[512];
    const char *problem = NULL;
    bool free_length = type->format->size == 0 && type->format->kind != YS_FORMAT_STRUCT && !type->length.given;
    size_t room =
        type->length.number > 0 && type->length.number < sizeof bytes ? (size_t)type->length.number : sizeof bytes;
    int used = ys_value_parse(type, written->text, bytes, room, &problem);
    if (used < 0) {
        ys_findings_add(&design->findings, YS_ERROR, "value", written->place,
                        "\"%s\" is no value of %s (%s, at most %u bytes): %s", written->text, name, type->format->name,
                        (unsigned)room, problem);
        return NULL;
    }
    if (type->fixed && (uint64_t)used != type->length.number)
        ys_findings_add(&design->findings, YS_ERROR, "value", written->place,
                        "\"%s\" has %d bytes, and %s always has %llu", written->text, used, name,
                        (unsigned long long)type->length.number);
    *length = (size_t)used;
    if (free_length)
        type->length.number = *length;
    return (uint8_t *)ys_copy((const char *)bytes, *length);
}
