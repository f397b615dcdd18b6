/* JSON Schemas. */
#include "design/reading/schema.h"

#include <string.h>

#include <jansson.h>

#include "design/reading/catalogue.h"
#include "design/reading/read.h"

#define NAMES_MOST 256
#define DEPTH_MOST 16

/* The mappings in which the one stands that is being printed. One that comes in itself is said once, by its name. */
struct printing {
    const struct ys_mapping *open[DEPTH_MOST];
    size_t depth;
    json_t *definitions;
};

static json_t *schema_of(struct printing *printing, const struct ys_kind *kind);

static json_t *words_of(const struct ys_kind *kind)
{
    json_t *words = json_array();
    for (size_t i = 0; kind->words[i] != NULL; i++)
        (void)json_array_append_new(words, json_string(kind->words[i]));
    return json_pack("{s:o}", "enum", words);
}

static json_t *names_of(const struct ys_kind *kind)
{
    const char *names[NAMES_MOST];
    size_t count = kind->names(names, NAMES_MOST);
    json_t *words = json_array();
    for (size_t i = 0; i < count; i++)
        (void)json_array_append_new(words, json_string(names[i]));
    return json_pack("{s:o}", "enum", words);
}

static json_t *required_of(const struct ys_mapping *mapping)
{
    json_t *required = json_array();
    for (size_t i = 0; i < mapping->count; i++) {
        if (mapping->keys[i].required)
            (void)json_array_append_new(required, json_string(mapping->keys[i].name));
    }
    return required;
}

static json_t *mapping_of(struct printing *printing, const struct ys_mapping *mapping);

static bool is_open(const struct printing *printing, const struct ys_mapping *mapping)
{
    for (size_t i = 0; i < printing->depth; i++) {
        if (printing->open[i] == mapping)
            return true;
    }
    return false;
}

/* Where it is said what a mapping is that comes in itself. */
static json_t *reference_to(struct printing *printing, const struct ys_mapping *mapping)
{
    char path[100] = "#/$defs/";
    char *name = path + strlen(path);
    for (size_t i = 0; i < 60 && mapping->what[i] != '\0'; i++)
        name[i] = (char)(mapping->what[i] == ' ' ? '_' : mapping->what[i]);
    if (json_object_get(printing->definitions, name) == NULL) {
        (void)json_object_set_new(printing->definitions, name, json_null()); /* it comes in itself again */
        struct printing inside = {.open = {NULL}, .definitions = printing->definitions};
        (void)json_object_set_new(printing->definitions, name, mapping_of(&inside, mapping));
    }
    return json_pack("{s:s}", "$ref", path);
}

static json_t *mapping_of(struct printing *printing, const struct ys_mapping *mapping)
{
    if (is_open(printing, mapping))
        return reference_to(printing, mapping);
    printing->open[printing->depth++] = mapping;
    json_t *properties = json_object();
    for (size_t i = 0; i < mapping->count; i++) {
        json_t *schema = schema_of(printing, mapping->keys[i].kind);
        (void)json_object_set_new(schema, "description", json_string(mapping->keys[i].about));
        (void)json_object_set_new(properties, mapping->keys[i].name, schema);
    }
    json_t *object =
        json_pack("{s:s, s:b, s:o}", "type", "object", "additionalProperties", 0, "properties", properties);
    json_t *required = required_of(mapping);
    if (mapping->instead != NULL)
        (void)json_object_set_new(object, "anyOf",
                                  json_pack("[{s:[s]}, {s:o}]", "required", mapping->instead, "required", required));
    else
        (void)json_object_set_new(object, "required", required);
    printing->depth--;
    return object;
}

/* A scalar of YAML 1.2 is a text to us, and may be a number or a boolean to others. */
static json_t *form_of(struct printing *printing, const struct ys_kind *kind)
{
    switch (kind->form) {
    case YS_NUMBER:
        return json_pack("{s:s, s:I, s:I}", "type", "integer", "minimum", (json_int_t)kind->least, "maximum",
                         (json_int_t)kind->greatest);
    case YS_YES:
        return json_pack("{s:s}", "type", "boolean");
    case YS_TIME:
        return json_pack("{s:s, s:s}", "type", "string", "pattern", "^[0-9]+(\\.[0-9]+)? *(us|ms|s|min|h)$");
    case YS_WORD:
        return words_of(kind);
    case YS_NAME:
        return names_of(kind);
    case YS_LIST:
        return json_pack("{s:s, s:o}", "type", "array", "items", schema_of(printing, kind->items));
    case YS_MAPPING:
        return mapping_of(printing, kind->mapping);
    case YS_TEXT:
    default:
        return json_pack("{s:[s, s, s]}", "type", "string", "number", "boolean");
    }
}

static json_t *schema_of(struct printing *printing, const struct ys_kind *kind)
{
    if (kind->otherwise == NULL || kind->form == YS_YES) /* its words are its two values */
        return form_of(printing, kind);
    json_t *ways = json_array();
    for (; kind != NULL; kind = kind->otherwise)
        (void)json_array_append_new(ways, form_of(printing, kind));
    return json_pack("{s:o}", "anyOf", ways);
}

bool ys_schema_print(FILE *stream)
{
    return ys_schema_print_of(stream, &ys_definition_mapping, "A Bluetooth Low Energy device: NAME.device.yaml");
}

bool ys_schema_print_of(FILE *stream, const struct ys_mapping *mapping, const char *title)
{
    ys_catalogue_load(); /* its names are in the mappings */
    struct printing printing = {.definitions = json_object()};
    json_t *root = mapping_of(&printing, mapping);
    if (json_object_size(printing.definitions) > 0)
        (void)json_object_set(root, "$defs", printing.definitions);
    json_decref(printing.definitions);
    (void)json_object_set_new(root, "$schema", json_string("https://json-schema.org/draft/2020-12/schema"));
    (void)json_object_set_new(root, "title", json_string(title));
    bool good = root != NULL && json_dumpf(root, stream, JSON_INDENT(2)) == 0 && fputc('\n', stream) != EOF;
    json_decref(root);
    return good;
}
