/* What bytes mean: the keys that characteristics, fields of structures and the catalogue share. */
#include "design/type.h"

#include <stdlib.h>
#include <string.h>

#include "design/catalogue.h"
#include "design/memory.h"
#include "design/words.h"

#define COUNT(array) (sizeof(array) / sizeof((array)[0]))
#define NAMES_MOST   96

static void error(const struct ys_node *node, const char *code, const char *text)
{
    ys_findings_add(node->findings, YS_ERROR, code, node->place, "%s", text);
}

bool ys_read_number(const struct ys_node *node, const char *what, uint64_t greatest, uint64_t *number)
{
    const char *text = ys_yaml_text(node, what);
    char *end = NULL;
    if (text == NULL)
        return false;
    bool digits = text[0] >= '0' && text[0] <= '9';
    unsigned long long value = digits ? strtoull(text, &end, text[1] == 'x' ? 16 : 10) : 0;
    if (!digits || *end != '\0' || value > greatest) {
        ys_findings_add(node->findings, YS_ERROR, "number", node->place,
                        "%s must be a whole number from 0 to %llu, not \"%s\"", what, (unsigned long long)greatest,
                        text);
        return false;
    }
    *number = value;
    return true;
}

void ys_read_name(const struct ys_node *node, const char *what, char **name, char **id)
{
    const char *text = ys_yaml_text(node, what);
    if (text == NULL)
        return;
    char *identifier = ys_identifier(text);
    if (identifier == NULL) {
        ys_findings_add(node->findings, YS_ERROR, "name-in-c", node->place,
                        "%s \"%s\" gives no name in C: begin it with a letter from a to z", what, text);
        return;
    }
    if (*name == NULL) {
        *name = ys_copy(text, strlen(text));
        *id = identifier;
    } else {
        free(identifier);
    }
}

void ys_type_format(const struct ys_node *node, struct ys_field *field)
{
    const char *text = ys_yaml_text(node, "format");
    if (text == NULL)
        return;
    field->format = ys_format_find(text);
    if (field->format == NULL) {
        const char *names[NAMES_MOST];
        ys_yaml_unknown(node, "this format", text, names, ys_format_names(names, NAMES_MOST));
    }
}

void ys_type_unit(const struct ys_node *node, struct ys_field *field)
{
    const char *text = ys_yaml_text(node, "unit");
    if (text == NULL)
        return;
    field->unit = ys_unit_find(text);
    if (field->unit == NULL) {
        const char *names[NAMES_MOST];
        ys_yaml_unknown(node, "this unit", text, names, ys_unit_names(names, NAMES_MOST));
    }
}

/* 1/2, 1/4, ..., 1/4096 */
static bool parse_fraction(const char *text, int *halvings)
{
    char *end;
    if (strncmp(text, "1/", 2) != 0 || text[2] < '1' || text[2] > '9')
        return false;
    unsigned long parts = strtoul(text + 2, &end, 10);
    *halvings = 0;
    while (*halvings < 12 && 1ul << *halvings < parts)
        ++*halvings;
    return *end == '\0' && 1ul << *halvings == parts;
}

/* How much one step of the raw number is worth: 0.1, 0.005, 1000 or 1/1024. */
void ys_type_resolution(const struct ys_node *node, struct ys_field *field)
{
    int64_t mantissa = 1;
    int places = 0;
    int halvings = 0;
    const char *end = "";
    const char *text = ys_yaml_text(node, "resolution");
    if (text == NULL)
        return;
    bool good = parse_fraction(text, &halvings) ||
                (ys_decimal_parse(text, &mantissa, &places, &end) && *end == '\0' && mantissa > 0);
    int exponent = -places;
    for (; good && mantissa % 10 == 0; mantissa /= 10)
        exponent++;
    if (!good || mantissa > 999 || exponent < -9 || exponent > 9) {
        error(node, "resolution", "resolution must be what one step is worth, such as 0.1, 0.005, 1000 or 1/1024");
        return;
    }
    field->multiplier = mantissa;
    field->exponent = exponent;
    field->halvings = halvings;
    field->has_resolution = true;
}

void ys_type_length(const struct ys_node *node, struct ys_field *field)
{
    field->length_place = node->place;
    if (ys_read_number(node, "length", 512, &field->length) && field->length == 0)
        error(node, "length", "length must be at least 1 byte");
}

void ys_type_bits(const struct ys_node *node, struct ys_field *field)
{
    struct ys_node item;
    void *iterator = NULL;
    while (ys_yaml_next(node, "bits", &iterator, &item)) {
        const char *name = ys_yaml_text(&item, "a bit's name");
        if (name == NULL)
            continue;
        field->bits = ys_grow(field->bits, field->bit_count, sizeof *field->bits);
        field->bits[field->bit_count++] = ys_copy(name, strlen(name));
    }
}

/* fields: */

static void field_name(const struct ys_node *node, void *target)
{
    struct ys_field *field = target;
    field->place = node->place;
    ys_read_name(node, "the field's name", &field->name, &field->id);
}

static void field_format(const struct ys_node *node, void *target)
{
    ys_type_format(node, target);
}

static void field_unit(const struct ys_node *node, void *target)
{
    ys_type_unit(node, target);
}

static void field_resolution(const struct ys_node *node, void *target)
{
    ys_type_resolution(node, target);
}

static void field_length(const struct ys_node *node, void *target)
{
    ys_type_length(node, target);
}

static void field_bits(const struct ys_node *node, void *target)
{
    ys_type_bits(node, target);
}

static void field_up_to(const struct ys_node *node, void *target)
{
    struct ys_field *field = target;
    if (ys_read_number(node, "up to", 255, &field->most) && field->most == 0)
        error(node, "structure", "an array needs room for at least 1");
}

static void field_depends(const struct ys_node *node, const char *what, bool unless, struct ys_field *field)
{
    field->depends_place = node->place;
    field->depends_text = ys_yaml_text(node, what);
    field->depends = field->depends_text != NULL;
    field->unless = unless;
}

static void field_when(const struct ys_node *node, void *target)
{
    field_depends(node, "when", false, target);
}

static void field_unless(const struct ys_node *node, void *target)
{
    field_depends(node, "unless", true, target);
}

static const struct ys_key field_keys[] = {
    {"name", field_name, true},      {"format", field_format, true},
    {"unit", field_unit, false},     {"resolution", field_resolution, false},
    {"length", field_length, false}, {"bits", field_bits, false},
    {"up to", field_up_to, false},   {"when", field_when, false},
    {"unless", field_unless, false},
};

void ys_type_fields(const struct ys_node *node, struct ys_field *whole)
{
    struct ys_node item;
    void *iterator = NULL;
    while (ys_yaml_next(node, "fields", &iterator, &item)) {
        whole->fields = ys_grow(whole->fields, whole->field_count, sizeof *whole->fields);
        struct ys_field *field = &whole->fields[whole->field_count++];
        *field = (struct ys_field){.place = item.place};
        (void)ys_yaml_mapping(&item, "a field", field_keys, COUNT(field_keys), field);
    }
}

/* A field's own copies of its names. */
static struct ys_field copy_field(const struct ys_field *from)
{
    struct ys_field copy = *from;
    if (from->name != NULL) {
        copy.name = ys_copy(from->name, strlen(from->name));
        copy.id = ys_copy(from->id, strlen(from->id));
    }
    copy.bits = from->bit_count > 0 ? ys_new(from->bit_count * sizeof *copy.bits) : NULL;
    for (size_t i = 0; i < from->bit_count; i++)
        copy.bits[i] = ys_copy(from->bits[i], strlen(from->bits[i]));
    if (from->depends_text != NULL)
        copy.depends = true;
    copy.length_place = (struct ys_place){.line = 0};
    return copy;
}

void ys_type_inherit(struct ys_field *field, const struct ys_field *adopted)
{
    bool whole = field->format == NULL && field->field_count == 0 && field->bit_count == 0;
    if (whole) {
        uint64_t length = field->length;
        struct ys_place length_place = field->length_place;
        const struct ys_unit *unit = field->unit;
        struct ys_field own = *field;
        *field = copy_field(adopted);
        field->fields = adopted->field_count > 0 ? ys_new(adopted->field_count * sizeof *field->fields) : NULL;
        for (size_t i = 0; i < adopted->field_count; i++)
            field->fields[i] = copy_field(&adopted->fields[i]);
        field->length_place = length_place;
        if (length != 0)
            field->length = length;
        if (unit != NULL)
            field->unit = unit;
        if (own.has_resolution) {
            field->multiplier = own.multiplier;
            field->exponent = own.exponent;
            field->halvings = own.halvings;
            field->has_resolution = true;
        }
        return;
    }
    if (field->format != adopted->format)
        return;
    if (field->unit == NULL)
        field->unit = adopted->unit;
    if (!field->has_resolution) {
        field->multiplier = adopted->multiplier;
        field->exponent = adopted->exponent;
        field->halvings = adopted->halvings;
        field->has_resolution = adopted->has_resolution;
    }
}

void ys_type_clear(struct ys_field *field)
{
    for (size_t i = 0; i < field->bit_count; i++)
        free(field->bits[i]);
    for (size_t i = 0; i < field->field_count; i++) {
        free(field->fields[i].name);
        free(field->fields[i].id);
        for (size_t j = 0; j < field->fields[i].bit_count; j++)
            free(field->fields[i].bits[j]);
        free(field->fields[i].bits);
    }
    free(field->bits);
    free(field->fields);
}
