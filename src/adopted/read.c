/* Reads catalogue.yaml. */
#include "adopted/read.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "design/model/memory.h"
#include "design/model/units.h"
#include "design/model/words.h"
#include "design/reading/type.h"
#include "design/reading/yaml.h"

#define COUNT(array) (sizeof(array) / sizeof((array)[0]))

/* Everything, by kind. */
static struct {
    struct ys_adopted *items;
    size_t count;
} sections[YS_ADOPTED_KINDS];

/* The entry that is being read */

static const struct ys_kind kind_number = {.form = YS_NUMBER, .greatest = UINT16_MAX};

static void entry_number(const struct ys_node *node, void *target)
{
    uint64_t number = 0;
    (void)ys_yaml_number(node, &number);
    ((struct ys_adopted *)target)->number = (uint16_t)number;
}

static char *copy_text(const struct ys_node *node)
{
    const char *text = ys_yaml_text(node);
    return text != NULL ? ys_copy(text, strlen(text)) : NULL;
}

static void entry_name(const struct ys_node *node, void *target)
{
    ((struct ys_adopted *)target)->name = copy_text(node);
}

static void entry_about(const struct ys_node *node, void *target)
{
    ((struct ys_adopted *)target)->about = copy_text(node);
}

static void entry_symbol(const struct ys_node *node, void *target)
{
    const char *text = ys_yaml_scalar(node);
    ((struct ys_adopted *)target)->symbol = ys_copy(text, strlen(text));
}

/* Reads "read, may notify": each way is a must unless it says may. */
static void read_properties(const struct ys_node *node, struct ys_has *part)
{
    const char *text = ys_yaml_scalar(node);
    part->knows = text[0] != '\0';
    while (*text != '\0') {
        size_t length = strcspn(text, ",");
        bool may = strncmp(text, "may ", 4) == 0;
        const char *word = may ? text + 4 : text;
        size_t word_length = length - (size_t)(word - text);
        size_t way = 0;
        while (way < YS_WAYS &&
               (strlen(ys_ways[way].name) != word_length || strncmp(ys_ways[way].name, word, word_length) != 0))
            way++;
        if (way == YS_WAYS) {
            ys_findings_add(node->findings, YS_ERROR, "word-unknown", node->place, "no way to a value: %s", text);
            return;
        }
        if (may)
            part->may |= ys_ways[way].property;
        else
            part->must |= ys_ways[way].property;
        text += length;
        text += strspn(text, ", ");
    }
}

static void read_parts(const struct ys_node *node, void *target, bool mandatory)
{
    struct ys_adopted *adopted = target;
    const char *name;
    struct ys_node value;
    void *iterator = NULL;
    while (ys_yaml_next_pair(node, &iterator, &name, &value)) {
        adopted->parts = ys_grow(adopted->parts, adopted->part_count, sizeof *adopted->parts);
        struct ys_has *part = &adopted->parts[adopted->part_count++];
        *part = (struct ys_has){.name = ys_copy(name, strlen(name)), .mandatory = mandatory};
        read_properties(&value, part);
    }
}

static void entry_has(const struct ys_node *node, void *target)
{
    read_parts(node, target, true);
}

static void entry_may_have(const struct ys_node *node, void *target)
{
    read_parts(node, target, false);
}

static void entry_services(const struct ys_node *node, void *target)
{
    struct ys_adopted *adopted = target;
    struct ys_node item;
    void *iterator = NULL;
    while (ys_yaml_next(node, &iterator, &item)) {
        adopted->parts = ys_grow(adopted->parts, adopted->part_count, sizeof *adopted->parts);
        adopted->parts[adopted->part_count++] = (struct ys_has){.name = copy_text(&item), .mandatory = true};
    }
}

/* Ignores the key's own field: an entry has a type only if a key of the type is given. */
static void entry_type(const struct ys_node *node, void *target)
{
    struct ys_adopted *adopted = target;
    if (adopted->type == NULL)
        adopted->type = ys_new(sizeof *adopted->type);
    static const struct {
        const char *name;
        ys_key_fn *read;
    } readers[] = {{"format", ys_type_format}, {"unit", ys_type_unit}, {"resolution", ys_type_resolution},
                   {"length", ys_type_length}, {"bits", ys_type_bits}, {"names", ys_type_names},
                   {"fields", ys_type_fields}};
    for (size_t i = 0; i < COUNT(readers); i++) {
        if (strcmp(readers[i].name, node->key->name) == 0)
            readers[i].read(node, adopted->type);
    }
}

static void entry_range(const struct ys_node *node, void *target)
{
    struct ys_adopted *adopted = target;
    struct ys_node item;
    void *iterator = NULL;
    for (size_t i = 0; ys_yaml_next(node, &iterator, &item); i++) {
        if (i < 2)
            adopted->range[i] = copy_text(&item);
    }
}

static const struct ys_key entry_keys[] = {
    {"number", entry_number, &kind_number, NULL, false, 0},
    {"name", entry_name, &ys_kind_text, NULL, true, 0},
    {"about", entry_about, &ys_kind_text, NULL, false, 0},
    {"symbol", entry_symbol, &ys_kind_text, NULL, false, 0},
    {"has", entry_has, NULL, NULL, false, 0},
    {"may have", entry_may_have, NULL, NULL, false, 0},
    {"services", entry_services, &ys_kind_texts, NULL, false, 0},
    {"format", entry_type, &ys_kind_format, NULL, false, 0},
    {"unit", entry_type, &ys_kind_unit, NULL, false, 0},
    {"resolution", entry_type, &ys_kind_text, NULL, false, 0},
    {"length", entry_type, &ys_kind_length, NULL, false, 0},
    {"range", entry_range, &ys_kind_texts, NULL, false, 0},
    {"bits", entry_type, &ys_kind_texts, NULL, false, 0},
    {"names", entry_type, &ys_kind_texts, NULL, false, 0},
    {"fields", entry_type, &ys_kind_fields, NULL, false, 0},
};
static const struct ys_mapping entry_mapping = {"an entry", entry_keys, COUNT(entry_keys), NULL};

/* The sections */

static void read_section(const struct ys_node *node, enum ys_adopted_kind kind)
{
    struct ys_node item;
    void *iterator = NULL;
    while (ys_yaml_next(node, &iterator, &item)) {
        sections[kind].items = ys_grow(sections[kind].items, sections[kind].count, sizeof *sections[kind].items);
        struct ys_adopted *adopted = &sections[kind].items[sections[kind].count++];
        *adopted = (struct ys_adopted){.kind = kind};
        (void)ys_yaml_mapping(&item, &entry_mapping, adopted);
    }
}

static void keep_units(void)
{
    size_t count = sections[YS_ADOPTED_UNIT].count;
    struct ys_unit *units = ys_new((count + 1) * sizeof *units);
    for (size_t i = 0; i < count; i++) {
        const struct ys_adopted *unit = &sections[YS_ADOPTED_UNIT].items[i];
        units[i] = (struct ys_unit){.name = unit->name, .symbol = unit->symbol, .number = unit->number};
    }
    ys_units_keep(units);
}

static const char *const section_names[YS_ADOPTED_KINDS] = {
    [YS_ADOPTED_SERVICE] = "services",        [YS_ADOPTED_CHARACTERISTIC] = "characteristics",
    [YS_ADOPTED_DESCRIPTOR] = "descriptors",  [YS_ADOPTED_UNIT] = "units",
    [YS_ADOPTED_FORMAT] = "formats",          [YS_ADOPTED_APPEARANCE] = "appearances",
    [YS_ADOPTED_ADVERTISING] = "advertising", [YS_ADOPTED_DEVICE] = "devices",
};

static void take_section(const struct ys_node *node, void *target)
{
    (void)target;
    for (int kind = 0; kind < YS_ADOPTED_KINDS; kind++) {
        if (strcmp(section_names[kind], node->key->name) == 0)
            read_section(node, (enum ys_adopted_kind)kind);
    }
    if (strcmp(node->key->name, "units") == 0)
        keep_units();
}

static const struct ys_key section_keys[] = {
    {"units", take_section, NULL, NULL, true, 0},       {"services", take_section, NULL, NULL, true, 0},
    {"devices", take_section, NULL, NULL, true, 0},     {"characteristics", take_section, NULL, NULL, true, 0},
    {"descriptors", take_section, NULL, NULL, true, 0}, {"formats", take_section, NULL, NULL, true, 0},
    {"appearances", take_section, NULL, NULL, true, 0}, {"advertising", take_section, NULL, NULL, true, 0},
};
static const struct ys_mapping catalogue_mapping = {"the catalogue", section_keys, COUNT(section_keys), NULL};

bool adopted_read(const char *text, size_t length)
{
    static struct fy_document *document; /* kept: fields point at the names of the bits they depend on */
    struct ys_findings findings = {.items = NULL};
    const struct ys_place place = {.line = 0};
    document = ys_yaml_parse(text, length, place, &findings);
    if (document != NULL) {
        struct ys_node root = ys_yaml_root(document, place, &findings);
        (void)ys_yaml_mapping(&root, &catalogue_mapping, NULL);
    }
    for (size_t i = 0; i < findings.count; i++)
        (void)fprintf(stderr, "catalogue.yaml:%d: %s\n", findings.items[i].place.line, findings.items[i].text);
    return findings.count == 0;
}

const struct ys_adopted *adopted_of(enum ys_adopted_kind kind, size_t *count)
{
    *count = sections[kind].count;
    return sections[kind].items;
}
