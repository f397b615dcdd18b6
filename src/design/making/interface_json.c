/* What a device offers, as JSON: for programs, and for the modules that are generated. */
#include "design/making/interface_json.h"

#include <math.h>
#include <stdlib.h>

#include "design/making/generate.h"
#include "design/making/naming.h"
#include "design/making/payload.h"

/* in the order of enum ys_format_kind */
static const char *const kinds[] = {"boolean", "unsigned", "signed", "float", "medfloat", "flags",
                                    "wide",    "pair",     "text",   "utf16", "bytes",    "struct"};

static void set(json_t *object, const char *key, json_t *value)
{
    (void)json_object_set_new(object, key, value);
}

static json_t *number(uint64_t value)
{
    return json_integer((json_int_t)value);
}

static json_t *bits_json(const struct ys_field *type)
{
    json_t *bits = json_array();
    for (size_t i = 0; i < type->bit_count; i++)
        (void)json_array_append_new(bits, json_string(type->bits[i]));
    return bits;
}

static json_t *names_json(const struct ys_field *type)
{
    json_t *names = json_array();
    for (size_t i = 0; i < type->name_count; i++)
        (void)json_array_append_new(
            names, json_pack("{s:s, s:I}", "name", type->names[i].name, "number", (json_int_t)type->names[i].number));
    return names;
}

static json_t *condition_json(const struct ys_field *whole, const struct ys_field *field)
{
    return json_pack("{s:s, s:i, s:b}", "field", whole->fields[field->flags_at].id, "bit", (int)field->flag, "set",
                     field->when.text != NULL);
}

/* The bits that hold a number: all bits of its bytes, except for one whose upper bits do not belong to its sign. */
static unsigned bits_of_number(const struct ys_format *format)
{
    return format->kind == YS_FORMAT_SIGNED ? format->bits : 8u * format->size;
}

static size_t length_of(const struct ys_field *type)
{
    return type->format->size > 0 ? type->format->size : (size_t)type->length.number;
}

json_t *ys_type_json(const struct ys_field *type, const char *name, const char *id)
{
    const struct ys_format *format = type->format;
    json_t *object = json_object();
    bool exact = type->fixed || format->size > 0;
    set(object, "name", json_string(name));
    set(object, "id", json_string(id));
    set(object, "format", json_string(format->name));
    set(object, "kind", json_string(kinds[format->kind]));
    set(object, "size", number(format->size));
    set(object, "length", number(length_of(type)));
    set(object, "fixed", json_boolean(exact));
    set(object, "bits_of_number", number(bits_of_number(format)));
    set(object, "multiplier", json_integer(type->multiplier == 0 ? 1 : type->multiplier));
    set(object, "exponent", json_integer(type->exponent));
    set(object, "halvings", json_integer(type->halvings));
    set(object, "most_first", json_boolean(type->order == YS_MOST_FIRST + 1));
    if (type->unit != NULL) {
        set(object, "unit", json_string(type->unit->name));
        set(object, "symbol", json_string(type->unit->symbol));
    }
    if (type->bit_count > 0)
        set(object, "bits", bits_json(type));
    if (type->name_count > 0)
        set(object, "names", names_json(type));
    if (type->most.number > 0)
        set(object, "up_to", number(type->most.number));
    if (format->kind != YS_FORMAT_STRUCT)
        return object;
    json_t *fields = json_array();
    for (size_t i = 0; i < type->field_count; i++) {
        const struct ys_field *field = &type->fields[i];
        json_t *one = ys_type_json(field, field->name, field->id);
        if (field->format->kind == YS_FORMAT_BYTES || field->format->kind == YS_FORMAT_WIDE)
            set(one, "fixed", json_true()); /* in a structure it is always that long */
        if (field->depends)
            set(one, "when", condition_json(type, field));
        (void)json_array_append_new(fields, one);
    }
    set(object, "fields", fields);
    return object;
}

static json_t *ways_json(const struct ys_characteristic *characteristic)
{
    json_t *ways = json_object();
    for (int way = 0; way < YS_WAYS; way++) {
        const struct ys_offer *offer = &characteristic->ways[way];
        if (offer->right != YS_RIGHT_NONE)
            set(ways, ys_ways[way].name,
                json_sprintf("%s%s", ys_right_word(offer->right), offer->asks ? " and ask" : ""));
    }
    return ways;
}

/* A raw number in its unit. */
static double in_unit(const struct ys_field *type, int64_t raw)
{
    double value = (double)raw * (double)(type->multiplier == 0 ? 1 : type->multiplier);
    value = type->exponent < 0 ? value / pow(10, -type->exponent) : value * pow(10, type->exponent);
    return ldexp(value, -type->halvings);
}

static json_t *characteristic_json(const struct ys_characteristic *characteristic)
{
    char uuid[YS_UUID_TEXT_SIZE];
    json_t *object = json_object();
    set(object, "name", json_string(characteristic->name));
    set(object, "id", json_string(characteristic->id));
    set(object, "uuid", json_string(ys_uuid_format(&characteristic->uuid, uuid)));
    if (characteristic->description.text != NULL)
        set(object, "description", json_string(characteristic->description.text));
    set(object, "ways", ways_json(characteristic));
    if (characteristic->streams)
        set(object, "stream", json_true());
    if (characteristic->has_range)
        set(object, "range",
            json_pack("[f, f]", in_unit(&characteristic->type, characteristic->range[0]),
                      in_unit(&characteristic->type, characteristic->range[1])));
    set(object, "value", ys_type_json(&characteristic->type, characteristic->name, characteristic->id));
    return object;
}

static json_t *service_json(const struct ys_service *service)
{
    char uuid[YS_UUID_TEXT_SIZE];
    json_t *characteristics = json_array();
    for (size_t i = 0; i < service->characteristic_count; i++)
        (void)json_array_append_new(characteristics, characteristic_json(&service->characteristics[i]));
    return json_pack("{s:s, s:s, s:s, s:b, s:o}", "name", service->name, "id", service->id, "uuid",
                     ys_uuid_format(&service->uuid, uuid), "primary", !service->secondary, "characteristics",
                     characteristics);
}

static void add_layouts(json_t *list, const struct ys_advertisement *advertisement, const struct ys_parts *parts)
{
    for (size_t i = 0; i < parts->count; i++) {
        const struct ys_part *part = &parts->items[i];
        char *id = ys_layout_id(advertisement, part);
        char name[40];
        if (id == NULL)
            continue;
        uint8_t bytes[16];
        char hex[2 * sizeof bytes + 1];
        struct ys_writer head = ys_writer_to(bytes, sizeof bytes);
        uint8_t type = ys_payload_put_head(part, &head);
        for (size_t j = 0; j < ys_writer_stored(&head); j++)
            (void)snprintf(hex + 2 * j, 3, "%02x", bytes[j]);
        hex[2 * ys_writer_stored(&head)] = '\0';
        ys_part_name(advertisement, part, name);
        (void)json_array_append_new(list, json_pack("{s:s, s:i, s:s, s:o}", "id", id, "type", type, "head", hex,
                                                    "value", ys_type_json(&part->type, name, id)));
        free(id);
    }
}

static json_t *advertisement_json(const struct ys_advertisement *advertisement)
{
    static const char *const words[] = {"connectable", "scannable", "beacon"};
    json_t *services = json_array();
    json_t *data = json_array();
    char uuid[YS_UUID_TEXT_SIZE];
    for (size_t i = 0; i < advertisement->promise_count; i++) {
        if (advertisement->promises[i].service != NULL)
            (void)json_array_append_new(services,
                                        json_string(ys_uuid_format(&advertisement->promises[i].service->uuid, uuid)));
    }
    add_layouts(data, advertisement, &advertisement->data);
    add_layouts(data, advertisement, &advertisement->response);
    return json_pack("{s:s?, s:s, s:o, s:o}", "name", advertisement->name, "kind",
                     words[ys_advertisement_kind(advertisement)], "services", services, "data", data);
}

json_t *ys_interface_json(const struct ys_design *design)
{
    json_t *root = json_object();
    json_t *advertising = json_array();
    json_t *services = json_array();
    set(root, "note", json_string(YS_GENERATED_NOTE));
    set(root, "device", json_string(design->name.text));
    for (size_t i = 0; i < design->set_count; i++)
        (void)json_array_append_new(advertising, advertisement_json(&design->sets[i]));
    for (size_t i = 0; i < design->service_count; i++) {
        if (!design->services[i].implied)
            (void)json_array_append_new(services, service_json(&design->services[i]));
    }
    set(root, "advertising", advertising);
    set(root, "services", services);
    return root;
}
