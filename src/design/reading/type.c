/* What bytes mean: the keys that characteristics, fields of structures and the catalogue share. */
#include "design/reading/type.h"

#include <errno.h>
#include <stdlib.h>
#include <string.h>

#include "design/model/memory.h"
#include "design/model/units.h"
#include "design/model/words.h"
#include "design/reading/names.h"

#define COUNT(array) (sizeof(array) / sizeof((array)[0]))
#define NAMES_MOST   96

static void error(const struct ys_node *node, const char *code, const char *text)
{
    ys_findings_add(node->findings, YS_ERROR, code, node->place, "%s", text);
}

const struct ys_kind ys_kind_format = {.form = YS_NAME, .names = ys_format_names};
static const struct ys_kind kind_number = {.form = YS_NUMBER, .greatest = 0xffff};
const struct ys_kind ys_kind_unit = {.form = YS_NAME, .names = ys_units_words, .otherwise = &kind_number};
const struct ys_kind ys_kind_length = {.form = YS_NUMBER, .least = 1, .greatest = 512};

static struct ys_field *field_of(const struct ys_node *node, void *target)
{
    return (struct ys_field *)((char *)target + node->key->into);
}

void ys_type_format(const struct ys_node *node, void *target)
{
    struct ys_field *field = field_of(node, target);
    const char *text = ys_yaml_text(node);
    if (text == NULL)
        return;
    field->format = ys_format_find(text);
    if (field->format == NULL) {
        const char *names[NAMES_MOST];
        ys_yaml_unknown(node, "this format", text, names, ys_format_names(names, NAMES_MOST));
    }
}

void ys_type_unit(const struct ys_node *node, void *target)
{
    struct ys_field *field = field_of(node, target);
    const char *text = ys_yaml_text(node);
    if (text == NULL)
        return;
    field->unit = ys_units_named(text);
    if (field->unit == NULL) {
        const char *names[NAMES_MOST];
        ys_yaml_unknown(node, "this unit", text, names, ys_units_names(names, NAMES_MOST));
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
void ys_type_resolution(const struct ys_node *node, void *target)
{
    struct ys_field *field = field_of(node, target);
    int64_t mantissa = 1;
    int places = 0;
    int halvings = 0;
    const char *end = "";
    const char *text = ys_yaml_text(node);
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

void ys_type_length(const struct ys_node *node, void *target)
{
    struct ys_field *field = field_of(node, target);
    field->length.place = node->place;
    field->length.given |= ys_yaml_number(node, &field->length.number);
}

void ys_type_bits(const struct ys_node *node, void *target)
{
    struct ys_field *field = field_of(node, target);
    struct ys_node item;
    void *iterator = NULL;
    while (ys_yaml_next(node, &iterator, &item)) {
        const char *name = ys_yaml_text(&item);
        if (name == NULL)
            continue;
        field->bits = ys_grow(field->bits, field->bit_count, sizeof *field->bits);
        field->bits[field->bit_count++] = ys_copy(name, strlen(name));
    }
}

/* "NAME", or "NAME = NUMBER". */
static void add_named_number(const struct ys_node *item, struct ys_field *field, const char *text)
{
    const char *equals = strstr(text, " = ");
    uint64_t number = field->name_count > 0 ? field->names[field->name_count - 1].number + 1 : 0;
    size_t length = equals != NULL ? (size_t)(equals - text) : strlen(text);
    if (equals != NULL) {
        const char *digits = equals + strlen(" = ");
        char *end = NULL;
        errno = 0;
        number = strtoull(digits, &end, 0);
        if (digits[0] < '0' || digits[0] > '9' || *end != '\0' || errno != 0) {
            error(item, "value-names", "a whole number must follow the equals sign, as in: unknown = 255");
            return;
        }
    }
    while (length > 0 && text[length - 1] == ' ')
        length--;
    field->names = ys_grow(field->names, field->name_count, sizeof *field->names);
    field->names[field->name_count++] = (struct ys_named_number){ys_copy(text, length), number};
}

void ys_type_names(const struct ys_node *node, void *target)
{
    struct ys_field *field = field_of(node, target);
    struct ys_node item;
    void *iterator = NULL;
    field->names_place = node->place;
    while (ys_yaml_next(node, &iterator, &item)) {
        const char *text = ys_yaml_text(&item);
        if (text != NULL)
            add_named_number(&item, field, text);
    }
}

/* fields: */

static void field_name(const struct ys_node *node, void *target)
{
    struct ys_field *field = target;
    field->place = node->place;
    ys_read_name(node, &field->name, &field->id);
}

static const struct ys_kind kind_most = {.form = YS_NUMBER, .least = 1, .greatest = 255};

static const char *const orders[] = {"little endian", "big endian", NULL};
static const struct ys_kind kind_order = {.form = YS_WORD, .words = orders};

static const struct ys_key field_keys[] = {
    {"name", field_name, &ys_kind_text, "Name, also in C", true, 0},
    YS_TYPE_KEYS(0),
    {"up to", ys_key_number, &kind_most, "Maximum number of items of an array", false, offsetof(struct ys_field, most)},
    {"byte order", ys_key_word, &kind_order,
     "Byte order of a number in a payload: little endian (default) or big endian", false,
     offsetof(struct ys_field, order)},
    {"when", ys_key_written, &ys_kind_text, "The field exists only if this bit of earlier flags is set", false,
     offsetof(struct ys_field, when)},
    {"unless", ys_key_written, &ys_kind_text, "The field exists only if this bit of earlier flags is not set", false,
     offsetof(struct ys_field, unless)},
};
static const struct ys_mapping field_mapping = {"a field", field_keys, COUNT(field_keys), NULL};
const struct ys_kind ys_kind_fields = {.form = YS_LIST,
                                       .items = &(const struct ys_kind){.form = YS_MAPPING, .mapping = &field_mapping}};

void ys_type_fields(const struct ys_node *node, void *target)
{
    struct ys_field *whole = field_of(node, target);
    struct ys_node item;
    void *iterator = NULL;
    while (ys_yaml_next(node, &iterator, &item)) {
        whole->fields = ys_grow(whole->fields, whole->field_count, sizeof *whole->fields);
        struct ys_field *field = &whole->fields[whole->field_count++];
        *field = (struct ys_field){.place = item.place};
        (void)ys_yaml_mapping(&item, &field_mapping, field);
        if (field->format == NULL && ys_yaml_peek(&item, "format") == NULL)
            ys_findings_add(node->findings, YS_ERROR, "key-missing", item.place, "a field has no format: add it");
        field->depends = field->when.text != NULL || field->unless.text != NULL;
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
    copy.names = from->name_count > 0 ? ys_new(from->name_count * sizeof *copy.names) : NULL;
    for (size_t i = 0; i < from->name_count; i++)
        copy.names[i] =
            (struct ys_named_number){ys_copy(from->names[i].name, strlen(from->names[i].name)), from->names[i].number};
    copy.length.given = false;
    return copy;
}

void ys_type_inherit(struct ys_field *field, const struct ys_field *adopted)
{
    bool whole = field->format == NULL && field->field_count == 0 && field->bit_count == 0;
    if (whole) {
        struct ys_field own = *field;
        *field = copy_field(adopted);
        field->fields = adopted->field_count > 0 ? ys_new(adopted->field_count * sizeof *field->fields) : NULL;
        for (size_t i = 0; i < adopted->field_count; i++)
            field->fields[i] = copy_field(&adopted->fields[i]);
        if (own.length.given) {
            field->length = own.length;
            field->fixed = own.fixed;
        }
        if (own.unit != NULL)
            field->unit = own.unit;
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
