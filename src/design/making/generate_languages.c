/* Modules in other languages: what reads and writes values is the same in all of them (languages/), and works on the
 * types as JSON. No text of a definition is in the code itself but in comments and in that JSON. */
#include "design/making/generate_languages.h"

#include <ctype.h>
#include <stdlib.h>
#include <string.h>

#include "design/making/c_text.h"
#include "design/making/generate.h"
#include "design/making/generate_values.h"
#include "design/making/interface_json.h"
#include "design/making/naming.h"
#include "design/model/memory.h"

extern const char ys_values_python[];
extern const char ys_values_javascript[];

/* Something that has a coder: a characteristic, or data in an advertisement. */
struct coded {
    char *id;
    const char *name;
    const struct ys_service *service; /* NULL: in an advertisement; also the next: */
    const struct ys_characteristic *characteristic;
    const struct ys_field *type;
};

struct module {
    FILE *stream;
    struct coded *coded;
    size_t count;
};

static void add(struct module *module, char *id, const char *name, const struct ys_service *service,
                const struct ys_characteristic *characteristic, const struct ys_field *type)
{
    module->coded = ys_grow(module->coded, module->count, sizeof *module->coded);
    module->coded[module->count++] = (struct coded){id, name, service, characteristic, type};
}

static void add_parts(struct module *module, const struct ys_advertisement *set, const struct ys_parts *parts)
{
    for (size_t i = 0; i < parts->count; i++) {
        char *id = ys_layout_id(set, &parts->items[i]);
        if (id != NULL)
            add(module, id, set->name != NULL ? set->name : "advertisement", NULL, NULL, &parts->items[i].type);
    }
}

static struct module module_of(FILE *stream, const struct ys_design *design)
{
    struct module module = {.stream = stream};
    for (size_t i = 0; i < design->service_count; i++) {
        const struct ys_service *service = &design->services[i];
        for (size_t j = 0; j < service->characteristic_count && !service->implied; j++) {
            const struct ys_characteristic *one = &service->characteristics[j];
            add(&module, ys_copy(one->id, strlen(one->id)), one->name, service, one, &one->type);
        }
    }
    for (size_t i = 0; i < design->set_count; i++) {
        add_parts(&module, &design->sets[i], &design->sets[i].data);
        add_parts(&module, &design->sets[i], &design->sets[i].response);
    }
    return module;
}

static void free_module(struct module *module)
{
    for (size_t i = 0; i < module->count; i++)
        free(module->coded[i].id);
    free(module->coded);
}

/* JSON that can stand between single quotes in Python: there is another way to write those. */
static void put_json(FILE *stream, json_t *object)
{
    char *text = json_dumps(object, JSON_ENSURE_ASCII | JSON_COMPACT);
    for (const char *letter = text != NULL ? text : "{}"; *letter != '\0'; letter++) {
        if (*letter == '\'')
            (void)fputs("\\u0027", stream);
        else
            (void)fputc(*letter, stream);
    }
    free(text);
}

/* All types, by the identifiers of their characteristics or fields. */
static void put_types(const struct module *module)
{
    (void)fputs("{\n", module->stream);
    for (size_t i = 0; i < module->count; i++) {
        const struct coded *one = &module->coded[i];
        json_t *type = ys_type_json(one->type, one->name, one->id);
        for (size_t j = 0; j < one->type->field_count; j++) {
            char *member = ys_member_name(one->type->fields[j].id);
            (void)json_object_set_new(json_array_get(json_object_get(type, "fields"), j), "member",
                                      json_string(member));
            free(member);
        }
        (void)fprintf(module->stream, "\"%s\":", one->id);
        put_json(module->stream, type);
        (void)fputs(i + 1 < module->count ? ",\n" : "\n", module->stream);
        json_decref(type);
    }
    (void)fputc('}', module->stream);
}

static void put_uuid(FILE *stream, const struct ys_uuid *uuid, const char *none)
{
    if (uuid == NULL) {
        (void)fputs(none, stream);
    } else {
        char text[YS_UUID_TEXT_SIZE];
        (void)fprintf(stream, "\"%s\"", ys_uuid_format(uuid, text));
    }
}

/* Named bits or named numbers: of a whole value, and of each field. */
typedef void put_words_fn(FILE *stream, const char *name, const struct ys_field *field);

static void put_all_words(const struct module *module, bool bits, put_words_fn *put)
{
    for (size_t i = 0; i < module->count; i++) {
        const struct coded *one = &module->coded[i];
        if ((bits ? one->type->bit_count : one->type->name_count) > 0)
            put(module->stream, one->id, one->type);
        for (size_t j = 0; j < one->type->field_count; j++) {
            const struct ys_field *field = &one->type->fields[j];
            char *name = ys_new_text("%s_%s", one->id, field->id);
            if ((bits ? field->bit_count : field->name_count) > 0)
                put(module->stream, name, field);
            free(name);
        }
    }
}

static void put_word(FILE *stream, const char *name)
{
    int before = '\0';
    if (!isalpha((unsigned char)name[0]))
        (void)fputs("IS_", stream);
    for (; *name != '\0'; name++) {
        unsigned char letter = (unsigned char)*name;
        int next = letter < 0x80 && isalnum(letter) ? toupper(letter) : '_';
        if (next != '_' || before != '_')
            (void)fputc(next, stream);
        before = next;
    }
}

/* Python */

static const char *python_type(const struct ys_field *type)
{
    bool whole = type->exponent >= 0 && type->halvings == 0;
    switch (type->format->kind) {
    case YS_FORMAT_BOOLEAN:
        return "_bool";
    case YS_FORMAT_UNSIGNED:
    case YS_FORMAT_SIGNED:
        return whole ? "_int" : "_float";
    case YS_FORMAT_FLAGS:
    case YS_FORMAT_WIDE:
        return "_int";
    case YS_FORMAT_FLOAT:
    case YS_FORMAT_MEDFLOAT:
        return "_float";
    case YS_FORMAT_PAIR:
        return "_typing.Tuple[_int, _int]";
    case YS_FORMAT_TEXT:
    case YS_FORMAT_UTF16:
        return "_str";
    default:
        return "_bytes";
    }
}

static void put_python_type(FILE *stream, const struct ys_field *type)
{
    if (type->most.number > 0)
        (void)fprintf(stream, "_typing.List[%s]", python_type(type));
    else
        (void)fputs(python_type(type), stream);
}

static void put_python_bits(FILE *stream, const char *name, const struct ys_field *flags)
{
    char *member = ys_member_name(name);
    (void)fprintf(stream, "    class %s(_enum.IntFlag):\n", member);
    for (size_t bit = 0; bit < flags->bit_count; bit++) {
        (void)fputs("        ", stream);
        put_word(stream, flags->bits[bit]);
        (void)fprintf(stream, " = 0x%llx\n", 1ULL << bit);
    }
    (void)fputc('\n', stream);
    free(member);
}

static void put_python_names(FILE *stream, const char *name, const struct ys_field *field)
{
    char *member = ys_member_name(name);
    (void)fprintf(stream, "    class %s(_enum.IntEnum):\n", member);
    for (size_t i = 0; i < field->name_count; i++) {
        (void)fputs("        ", stream);
        put_word(stream, field->names[i].name);
        (void)fprintf(stream, " = %llu\n", (unsigned long long)field->names[i].number);
    }
    (void)fputc('\n', stream);
    free(member);
}

static void put_python_struct(FILE *stream, const struct coded *one)
{
    char *name = ys_member_name(one->id);
    (void)fprintf(stream, "    @_dataclasses.dataclass\n    class %s:\n", name);
    for (size_t i = 0; i < one->type->field_count; i++) {
        const struct ys_field *field = &one->type->fields[i];
        char *member = ys_member_name(field->id);
        (void)fprintf(stream, "        %s: %s", member, field->depends ? "_typing.Optional[" : "");
        put_python_type(stream, field);
        (void)fputs(field->depends ? "]" : "", stream);
        if (field->unit != NULL && field->unit->symbol[0] != '\0')
            (void)fprintf(stream, "  # %s", field->unit->symbol);
        (void)fputc('\n', stream);
        free(member);
    }
    (void)fputc('\n', stream);
    free(name);
}

static void put_python_coder(FILE *stream, const struct coded *one)
{
    bool structure = one->type->format->kind == YS_FORMAT_STRUCT;
    char *name = ys_member_name(one->id);
    (void)fprintf(stream, "    %s: Coder[", name);
    if (structure)
        (void)fprintf(stream, "_values.%s", name);
    else
        put_python_type(stream, one->type);
    (void)fprintf(stream, "] = Coder(_TYPES[\"%s\"][\"name\"], ", one->id);
    put_uuid(stream, one->service != NULL ? &one->service->uuid : NULL, "None");
    (void)fputs(", ", stream);
    put_uuid(stream, one->characteristic != NULL ? &one->characteristic->uuid : NULL, "None");
    (void)fprintf(stream, ", _TYPES[\"%s\"]", one->id);
    if (structure)
        (void)fprintf(stream, ", _values.%s", name);
    (void)fputc(')', stream);
    if (one->type->unit != NULL && one->type->unit->symbol[0] != '\0')
        (void)fprintf(stream, "  # %s", one->type->unit->symbol);
    (void)fputc('\n', stream);
    free(name);
}

void ys_generate_python(FILE *stream, const struct ys_design *design, const struct ys_layout *layout)
{
    struct module module = module_of(stream, design);
    (void)layout;
    (void)fprintf(stream,
                  "# %s\n%s\n\n_bool, _int, _float, _str, _bytes = bool, int, float, str, bytes\n_TYPES = "
                  "_json.loads(r'''",
                  YS_GENERATED_NOTE, ys_values_python);
    put_types(&module);
    (void)fputs("''')\n\n\nclass flags:\n    \"\"\"Named bits.\"\"\"\n\n", stream);
    put_all_words(&module, true, put_python_bits);
    (void)fputs("\nclass names:\n    \"\"\"Named numbers.\"\"\"\n\n", stream);
    put_all_words(&module, false, put_python_names);
    (void)fputs("\nclass values:\n    \"\"\"Structures.\"\"\"\n\n", stream);
    for (size_t i = 0; i < module.count; i++) {
        if (module.coded[i].type->format->kind == YS_FORMAT_STRUCT)
            put_python_struct(stream, &module.coded[i]);
    }
    (void)fputs(
        "\n_values = values\n\n\nclass characteristics:\n    \"\"\"What can be read, written or notified.\"\"\"\n\n",
        stream);
    for (size_t i = 0; i < module.count; i++) {
        if (module.coded[i].service != NULL)
            put_python_coder(stream, &module.coded[i]);
    }
    (void)fputs("\n\nclass advertisements:\n    \"\"\"Data in advertisements, behind the company or the service's "
                "UUID.\"\"\"\n\n",
                stream);
    for (size_t i = 0; i < module.count; i++) {
        if (module.coded[i].service == NULL)
            put_python_coder(stream, &module.coded[i]);
    }
    free_module(&module);
}

/* JavaScript */

static const char *javascript_type(const struct ys_field *type)
{
    bool wide = type->format->size > 6 && type->exponent == 0 && type->halvings == 0 && type->multiplier <= 1;
    switch (type->format->kind) {
    case YS_FORMAT_BOOLEAN:
        return "boolean";
    case YS_FORMAT_UNSIGNED:
    case YS_FORMAT_SIGNED:
        return wide ? "bigint" : "number";
    case YS_FORMAT_WIDE:
        return "bigint";
    case YS_FORMAT_PAIR:
        return "[number, number]";
    case YS_FORMAT_TEXT:
    case YS_FORMAT_UTF16:
        return "string";
    case YS_FORMAT_BYTES:
        return "Uint8Array";
    default:
        return "number";
    }
}

static void put_javascript_type(FILE *stream, const struct ys_field *type)
{
    if (type->format->kind != YS_FORMAT_STRUCT) {
        (void)fprintf(stream, "%s%s", javascript_type(type), type->most.number > 0 ? "[]" : "");
        return;
    }
    (void)fputc('{', stream);
    for (size_t i = 0; i < type->field_count; i++) {
        (void)fprintf(stream, "%s%s: ", i > 0 ? ", " : "", type->fields[i].id);
        put_javascript_type(stream, &type->fields[i]);
        (void)fputs(type->fields[i].depends ? " | null" : "", stream);
    }
    (void)fputc('}', stream);
}

static void put_javascript_bits(FILE *stream, const char *name, const struct ys_field *flags)
{
    (void)fprintf(stream, "  %s: Object.freeze({", name);
    for (size_t bit = 0; bit < flags->bit_count; bit++) {
        (void)fputs(bit > 0 ? ", " : " ", stream);
        put_word(stream, flags->bits[bit]);
        (void)fprintf(stream, ": 0x%llx", 1ULL << bit);
    }
    (void)fputs(" }),\n", stream);
}

static void put_javascript_names(FILE *stream, const char *name, const struct ys_field *field)
{
    (void)fprintf(stream, "  %s: Object.freeze({", name);
    for (size_t i = 0; i < field->name_count; i++) {
        (void)fputs(i > 0 ? ", " : " ", stream);
        put_word(stream, field->names[i].name);
        (void)fprintf(stream, ": %llu", (unsigned long long)field->names[i].number);
    }
    (void)fputs(" }),\n", stream);
}

static void put_javascript_coder(FILE *stream, const struct coded *one)
{
    (void)fputs("  /** ", stream);
    ys_c_put_comment(stream, one->name);
    if (one->type->unit != NULL && one->type->unit->symbol[0] != '\0')
        (void)fprintf(stream, ", in %s", one->type->unit->symbol);
    (void)fputs(" @type {Coder<", stream);
    put_javascript_type(stream, one->type);
    (void)fprintf(stream, ">} */\n  %s: new Coder(types.%s.name, ", one->id, one->id);
    put_uuid(stream, one->service != NULL ? &one->service->uuid : NULL, "null");
    (void)fputs(", ", stream);
    put_uuid(stream, one->characteristic != NULL ? &one->characteristic->uuid : NULL, "null");
    (void)fprintf(stream, ", types.%s),\n", one->id);
}

void ys_generate_javascript(FILE *stream, const struct ys_design *design, const struct ys_layout *layout)
{
    struct module module = module_of(stream, design);
    (void)layout;
    (void)fprintf(stream, "// %s\n%s\nconst types = ", YS_GENERATED_NOTE, ys_values_javascript);
    put_types(&module);
    (void)fputs(";\n\n/** Named bits. */\nexport const flags = Object.freeze({\n", stream);
    put_all_words(&module, true, put_javascript_bits);
    (void)fputs("});\n\n/** Named numbers. */\nexport const names = Object.freeze({\n", stream);
    put_all_words(&module, false, put_javascript_names);
    (void)fputs(
        "});\n\n/** What can be read, written or notified. */\nexport const characteristics = Object.freeze({\n",
        stream);
    for (size_t i = 0; i < module.count; i++) {
        if (module.coded[i].service != NULL)
            put_javascript_coder(stream, &module.coded[i]);
    }
    (void)fputs(
        "});\n\n/** Data in advertisements, after the company or the service's UUID. */\nexport const advertisements "
        "= Object.freeze({\n",
        stream);
    for (size_t i = 0; i < module.count; i++) {
        if (module.coded[i].service == NULL)
            put_javascript_coder(stream, &module.coded[i]);
    }
    (void)fputs("});\n", stream);
    free_module(&module);
}

/* JSON */

void ys_generate_json(FILE *stream, const struct ys_design *design, const struct ys_layout *layout)
{
    json_t *root = ys_interface_json(design);
    (void)layout;
    (void)json_dumpf(root, stream, JSON_INDENT(2));
    (void)fputc('\n', stream);
    json_decref(root);
}
