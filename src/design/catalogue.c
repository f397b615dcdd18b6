/* The catalogue: catalogue.yaml is read once, when something is first asked of it. */
#include "design/catalogue.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "design/memory.h"
#include "design/type.h"
#include "design/words.h"
#include "design/yaml.h"

#define COUNT(array) (sizeof(array) / sizeof((array)[0]))

/* The text of catalogue.yaml (made at build time). */
extern const char ys_catalogue_text[];

static const struct ys_format formats[] = {
    {"boolean", YS_FORMAT_BOOLEAN, 1, 1},      {"boolean[8]", YS_FORMAT_FLAGS, 1, 8},
    {"boolean[16]", YS_FORMAT_FLAGS, 2, 16},   {"boolean[24]", YS_FORMAT_FLAGS, 3, 24},
    {"boolean[32]", YS_FORMAT_FLAGS, 4, 32},   {"uint2", YS_FORMAT_UNSIGNED, 1, 2},
    {"uint4", YS_FORMAT_UNSIGNED, 1, 4},       {"uint8", YS_FORMAT_UNSIGNED, 1, 8},
    {"uint12", YS_FORMAT_UNSIGNED, 2, 12},     {"uint16", YS_FORMAT_UNSIGNED, 2, 16},
    {"uint24", YS_FORMAT_UNSIGNED, 3, 24},     {"uint32", YS_FORMAT_UNSIGNED, 4, 32},
    {"uint48", YS_FORMAT_UNSIGNED, 6, 48},     {"sint8", YS_FORMAT_SIGNED, 1, 8},
    {"sint12", YS_FORMAT_SIGNED, 2, 12},       {"sint16", YS_FORMAT_SIGNED, 2, 16},
    {"sint24", YS_FORMAT_SIGNED, 3, 24},       {"sint32", YS_FORMAT_SIGNED, 4, 32},
    {"sint48", YS_FORMAT_SIGNED, 6, 48},       {"sint64", YS_FORMAT_SIGNED, 8, 64},
    {"float32", YS_FORMAT_FLOAT, 4, 32},       {"float64", YS_FORMAT_FLOAT, 8, 64},
    {"medfloat16", YS_FORMAT_MEDFLOAT, 2, 16}, {"medfloat32", YS_FORMAT_MEDFLOAT, 4, 32},
    {"utf8s", YS_FORMAT_TEXT, 0, 0},           {"bytes", YS_FORMAT_BYTES, 0, 0},
    {"struct", YS_FORMAT_STRUCT, 0, 0},
};

/* Everything, by kind; filled once and kept until the end. */
static struct {
    struct ys_adopted *items;
    size_t count;
} sections[YS_ADOPTED_KINDS];
static struct ys_unit *units;

/* The entry that is being read */

static void entry_number(const struct ys_node *node, void *target)
{
    uint64_t number = 0;
    (void)ys_read_number(node, "number", UINT16_MAX, &number);
    ((struct ys_adopted *)target)->number = (uint16_t)number;
}

static char *copy_text(const struct ys_node *node, const char *what)
{
    const char *text = ys_yaml_text(node, what);
    return text != NULL ? ys_copy(text, strlen(text)) : NULL;
}

static void entry_name(const struct ys_node *node, void *target)
{
    ((struct ys_adopted *)target)->name = copy_text(node, "name");
}

static void entry_about(const struct ys_node *node, void *target)
{
    ((struct ys_adopted *)target)->about = copy_text(node, "about");
}

static void entry_symbol(const struct ys_node *node, void *target)
{
    const char *text = ys_yaml_scalar(node);
    ((struct ys_adopted *)target)->symbol = ys_copy(text, strlen(text));
}

static void read_list(const struct ys_node *node, char ***names, size_t *count)
{
    struct ys_node item;
    void *iterator = NULL;
    while (ys_yaml_next(node, "a list of names", &iterator, &item)) {
        *names = ys_grow(*names, *count, sizeof **names);
        (*names)[(*count)++] = copy_text(&item, "a name");
    }
}

static void entry_has(const struct ys_node *node, void *target)
{
    struct ys_adopted *adopted = target;
    read_list(node, &adopted->has, &adopted->has_count);
}

static void entry_may_have(const struct ys_node *node, void *target)
{
    struct ys_adopted *adopted = target;
    read_list(node, &adopted->may_have, &adopted->may_have_count);
}

static struct ys_field *type_of(void *target)
{
    struct ys_adopted *adopted = target;
    if (adopted->type == NULL)
        adopted->type = ys_new(sizeof *adopted->type);
    return adopted->type;
}

static void entry_format(const struct ys_node *node, void *target)
{
    ys_type_format(node, type_of(target));
}

static void entry_unit(const struct ys_node *node, void *target)
{
    ys_type_unit(node, type_of(target));
}

static void entry_resolution(const struct ys_node *node, void *target)
{
    ys_type_resolution(node, type_of(target));
}

static void entry_length(const struct ys_node *node, void *target)
{
    ys_type_length(node, type_of(target));
}

static void entry_bits(const struct ys_node *node, void *target)
{
    ys_type_bits(node, type_of(target));
}

static void entry_fields(const struct ys_node *node, void *target)
{
    ys_type_fields(node, type_of(target));
}

static const struct ys_key entry_keys[] = {
    {"number", entry_number, true},  {"name", entry_name, true},  {"about", entry_about, false},
    {"symbol", entry_symbol, false}, {"has", entry_has, false},   {"may have", entry_may_have, false},
    {"format", entry_format, false}, {"unit", entry_unit, false}, {"resolution", entry_resolution, false},
    {"length", entry_length, false}, {"bits", entry_bits, false}, {"fields", entry_fields, false},
};

/* The sections */

static void read_section(const struct ys_node *node, enum ys_adopted_kind kind)
{
    struct ys_node item;
    void *iterator = NULL;
    while (ys_yaml_next(node, "a section", &iterator, &item)) {
        sections[kind].items = ys_grow(sections[kind].items, sections[kind].count, sizeof *sections[kind].items);
        struct ys_adopted *adopted = &sections[kind].items[sections[kind].count++];
        *adopted = (struct ys_adopted){.kind = kind};
        (void)ys_yaml_mapping(&item, "an entry", entry_keys, COUNT(entry_keys), adopted);
    }
}

static void keep_units(void)
{
    size_t count = sections[YS_ADOPTED_UNIT].count;
    units = ys_new((count + 1) * sizeof *units);
    for (size_t i = 0; i < count; i++) {
        const struct ys_adopted *unit = &sections[YS_ADOPTED_UNIT].items[i];
        units[i] = (struct ys_unit){.name = unit->name, .symbol = unit->symbol, .number = unit->number};
    }
}

static void take_services(const struct ys_node *node, void *target)
{
    (void)target;
    read_section(node, YS_ADOPTED_SERVICE);
}

static void take_characteristics(const struct ys_node *node, void *target)
{
    (void)target;
    read_section(node, YS_ADOPTED_CHARACTERISTIC);
}

static void take_descriptors(const struct ys_node *node, void *target)
{
    (void)target;
    read_section(node, YS_ADOPTED_DESCRIPTOR);
}

static void take_units(const struct ys_node *node, void *target)
{
    (void)target;
    read_section(node, YS_ADOPTED_UNIT);
    keep_units();
}

static void take_formats(const struct ys_node *node, void *target)
{
    (void)target;
    read_section(node, YS_ADOPTED_FORMAT);
}

static void take_appearances(const struct ys_node *node, void *target)
{
    (void)target;
    read_section(node, YS_ADOPTED_APPEARANCE);
}

static void take_advertising(const struct ys_node *node, void *target)
{
    (void)target;
    read_section(node, YS_ADOPTED_ADVERTISING);
}

static const struct ys_key section_keys[] = {
    {"units", take_units, true},
    {"services", take_services, true},
    {"characteristics", take_characteristics, true},
    {"descriptors", take_descriptors, true},
    {"formats", take_formats, true},
    {"appearances", take_appearances, true},
    {"advertising", take_advertising, true},
};

static void load(void)
{
    static bool loaded;
    static struct fy_document *document; /* kept: fields point at the names of the bits they depend on */
    struct ys_findings findings = {.items = NULL};
    const struct ys_place place = {.line = 0};
    if (loaded)
        return;
    loaded = true; /* also while it is being read: its own units come first */
    document = ys_yaml_parse(ys_catalogue_text, strlen(ys_catalogue_text), place, &findings);
    if (document != NULL) {
        struct ys_node root = ys_yaml_root(document, place, &findings);
        (void)ys_yaml_mapping(&root, "the catalogue", section_keys, COUNT(section_keys), NULL);
    }
    if (findings.count > 0) { /* tests see to it that it never is so */
        (void)fprintf(stderr, "yarnswift: the catalogue, line %d: %s\n", findings.items[0].place.line,
                      findings.items[0].text);
        abort();
    }
}

const struct ys_adopted *ys_adopted_all(enum ys_adopted_kind kind, size_t *count)
{
    load();
    *count = sections[kind].count;
    return sections[kind].items;
}

const struct ys_format *ys_format_find(const char *name)
{
    for (size_t i = 0; i < COUNT(formats); i++) {
        if (strcmp(formats[i].name, name) == 0)
            return &formats[i];
    }
    return NULL;
}

const struct ys_unit *ys_unit_find(const char *name_or_symbol)
{
    load();
    for (size_t i = 0; units != NULL && units[i].name != NULL; i++) {
        if (ys_word_is_equal(units[i].name, name_or_symbol) || strcmp(units[i].symbol, name_or_symbol) == 0)
            return &units[i];
    }
    return NULL;
}

const struct ys_adopted *ys_adopted_by_name(enum ys_adopted_kind kind, const char *name)
{
    load();
    for (size_t i = 0; i < sections[kind].count; i++) {
        if (ys_word_is_equal(sections[kind].items[i].name, name))
            return &sections[kind].items[i];
    }
    return NULL;
}

const struct ys_adopted *ys_adopted_by_number(enum ys_adopted_kind kind, uint32_t number)
{
    load();
    for (size_t i = 0; i < sections[kind].count; i++) {
        if (sections[kind].items[i].number == number)
            return &sections[kind].items[i];
    }
    return NULL;
}

size_t ys_format_names(const char **names, size_t most)
{
    size_t count = 0;
    for (; count < COUNT(formats) && count < most; count++)
        names[count] = formats[count].name;
    return count;
}

size_t ys_unit_names(const char **names, size_t most)
{
    return ys_adopted_names(YS_ADOPTED_UNIT, names, most);
}

size_t ys_adopted_names(enum ys_adopted_kind kind, const char **names, size_t most)
{
    load();
    size_t count = sections[kind].count < most ? sections[kind].count : most;
    for (size_t i = 0; i < count; i++)
        names[i] = sections[kind].items[i].name;
    return count;
}
