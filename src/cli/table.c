/* yarnswift table: shows the attribute table that a definition gives. */
#include <stdlib.h>
#include <string.h>

#include <jansson.h>

#include <yarnswift/advertisement.h>

#include "cli/shared/definitions.h"
#include "cli/shared/options.h"
#include "cli/shared/verb.h"
#include "design/making/explain.h"
#include "design/making/hash.h"
#include "design/making/payload.h"
#include "design/making/scanning.h"
#include "design/model/value.h"
#include "design/reading/catalogue.h"
#include "wire/hex.h"

#define VALUE_MOST 512
#define NAME_SIZE  200

static error_t parse(int key, char *argument, struct argp_state *state)
{
    (void)argument;
    return parse_common(key, argument, state, state->input);
}

/* "read open, write open, notify encrypted": what there is. */
static void rights_text(const struct ys_row *row, char *text, size_t size)
{
    const struct {
        const char *name;
        unsigned right;
        bool asks;
    } rights[] = {
        {"read", YS_RIGHT_TO_READ(row->rights), (row->rights & YS_ASKS_TO_READ) != 0},
        {"write", YS_RIGHT_TO_WRITE(row->rights), (row->rights & YS_ASKS_TO_WRITE) != 0},
        {row->kind == YS_ATTRIBUTE_VALUE && ys_offers(row->characteristic, YS_WAY_NOTIFY) ? "notify" : "indicate",
         YS_RIGHT_TO_NOTIFY(row->rights), false}};
    size_t used = 0;
    text[0] = '\0';
    for (size_t i = 0; i < 3; i++) {
        if (rights[i].right != YS_RIGHT_NONE)
            used += (size_t)snprintf(text + used, size - used, "%s%s %s%s", used > 0 ? ", " : "", rights[i].name,
                                     ys_right_word((enum ys_right)rights[i].right), rights[i].asks ? " and ask" : "");
    }
}

/* text */

/* What a descriptor is for, in few words. */
static const char *descriptor_name(const struct ys_uuid *type)
{
    static const char *const names[] = {"extended properties",  "description",         "client configuration",
                                        "server configuration", "presentation format", "aggregate format",
                                        "valid range"};
    uint32_t number = ys_uuid_number(type);
    return number >= 0x2900 && number <= 0x2906 ? names[number - 0x2900] : "descriptor";
}

static void name_of(const struct ys_row *row, char *name, size_t size)
{
    switch (row->kind) {
    case YS_ATTRIBUTE_INCLUDE:
        (void)snprintf(name, size, "  includes %s", row->included->name);
        break;
    case YS_ATTRIBUTE_DESCRIPTOR:
    case YS_ATTRIBUTE_STORED:
        (void)snprintf(name, size, "    %s", descriptor_name(&row->type));
        break;
    case YS_ATTRIBUTE_SERVICE:
    case YS_ATTRIBUTE_SECONDARY:
        (void)snprintf(name, size, "%s %s", row->kind == YS_ATTRIBUTE_SECONDARY ? "secondary" : "service",
                       row->service->name);
        break;
    case YS_ATTRIBUTE_CHARACTERISTIC:
        (void)snprintf(name, size, "  characteristic %s", row->characteristic->name);
        break;
    case YS_ATTRIBUTE_VALUE:
    case YS_ATTRIBUTE_FEATURES:
        (void)snprintf(name, size, "    value");
        break;
    default:
        (void)snprintf(name, size, "    client configuration");
        break;
    }
}

/* The meaning of a presentation format (Core 5.4 Vol 3 Part G 3.3.3.5), or of a valid range. */
static void descriptor_text(const struct ys_row *row, char *text, size_t size)
{
    uint32_t number = ys_uuid_number(&row->type);
    struct ys_reader reader = ys_reader_of(row->bytes, row->length);
    if (number == 0x2901) {
        (void)snprintf(text, size, "\"%s\"", row->characteristic->description.text);
    } else if (number == 0x2904) {
        const struct ys_adopted *format = ys_adopted_by_number(YS_ADOPTED_FORMAT, ys_get_u8(&reader));
        int8_t exponent = ys_get_i8(&reader);
        const struct ys_adopted *unit = ys_adopted_by_number(YS_ADOPTED_UNIT, ys_get_u16(&reader));
        (void)snprintf(text, size, "%s x 10^%d, %s", format->name, exponent, unit->name);
    } else if (number == 0x2906) {
        const struct ys_field *type = &row->characteristic->type;
        size_t half = row->length / 2u;
        char least[64];
        ys_value_format(type, row->bytes, half, least, sizeof least);
        int used = snprintf(text, size, "%s to ", least);
        ys_value_format(type, row->bytes + half, half, text + used, size - (size_t)used);
    } else {
        (void)ys_hex_format(row->bytes, row->length, " ", text, size);
    }
}

static void value_text(const struct ys_layout *layout, size_t index, char *text, size_t size)
{
    const struct ys_row *row = &layout->rows[index];
    const struct ys_characteristic *characteristic = row->characteristic;
    uint8_t bytes[VALUE_MOST];
    int length = ys_row_value(layout, index, bytes, sizeof bytes);
    if (length >= 0)
        ys_value_format(&characteristic->type, bytes, (size_t)length, text, size);
    else
        (void)snprintf(text, size, "%s",
                       characteristic->streams         ? "from its stream"
                       : characteristic->queues        ? "from its outbox"
                       : characteristic->read_handler  ? "from its handler"
                       : characteristic->write_handler ? "to its handler"
                                                       : "stored");
}

static void print_row(const struct ys_layout *layout, size_t index, int width)
{
    const struct ys_row *row = &layout->rows[index];
    char rights[120];
    char uuid[YS_UUID_TEXT_SIZE];
    char text[2 * VALUE_MOST];
    char name[NAME_SIZE];
    rights_text(row, rights, sizeof rights);
    (void)ys_uuid_format(&row->type, uuid);
    name_of(row, name, sizeof name);
    switch (row->kind) {
    case YS_ATTRIBUTE_INCLUDE:
        (void)snprintf(text, sizeof text, "which is at 0x%04X", ys_layout_service(layout, row->included));
        break;
    case YS_ATTRIBUTE_DESCRIPTOR:
    case YS_ATTRIBUTE_STORED:
        descriptor_text(row, text, sizeof text);
        break;
    case YS_ATTRIBUTE_SERVICE:
    case YS_ATTRIBUTE_SECONDARY:
        (void)ys_uuid_format(&row->uuid, text);
        break;
    case YS_ATTRIBUTE_CHARACTERISTIC:
        (void)snprintf(text, sizeof text, "its value is at 0x%04zX", index + 2);
        break;
    case YS_ATTRIBUTE_FEATURES:
        (void)snprintf(text, sizeof text, "none at first, for each connection");
        break;
    case YS_ATTRIBUTE_VALUE:
        value_text(layout, index, text, sizeof text);
        break;
    default:
        (void)snprintf(text, sizeof text, "off at first, for each connection");
        break;
    }
    (void)printf("0x%04zX  %-*s %-36s %5u  %-26s %s\n", index + 1, width, name, uuid, row->size, rights, text);
}

/* Bytes of a structure in one line of text. */
#define LINE_MOST 29

/* Each structure: its type, length, data, and meaning. */
static void print_payload(const struct ys_design *design, const char *what, const uint8_t *bytes, size_t length,
                          size_t room)
{
    struct ys_reader reader = ys_reader_of(bytes, length);
    struct ys_ad ad;
    int width = 0;
    int names = 12;
    while (ys_get_ad(&reader, &ad)) {
        int most = ad.length < LINE_MOST ? ad.length : LINE_MOST;
        int name = (int)strlen(ys_explain_type(ad.type));
        width = 3 * most - 1 > width ? 3 * most - 1 : width;
        names = name > names ? name : names;
    }
    (void)printf("\n%s: %zu of %zu bytes, %zu left\n", what, length, room, room - length);
    reader = ys_reader_of(bytes, length);
    while (ys_get_ad(&reader, &ad)) {
        char text[3 * LINE_MOST + 1];
        char meaning[1000];
        ys_explain_structure(design, &ad, meaning, sizeof meaning);
        for (uint8_t at = 0; at == 0 || at < ad.length; at = (uint8_t)(at + LINE_MOST)) {
            size_t left = ad.length - (size_t)at;
            (void)ys_hex_format(ad.data + at, left < LINE_MOST ? left : LINE_MOST, " ", text, sizeof text);
            if (at == 0)
                (void)printf("  %-*s %02x %02x  %-*s  %s\n", names, ys_explain_type(ad.type), ad.length + 1, ad.type,
                             width, text, meaning);
            else
                (void)printf("  %-*s        %s\n", names, "", text);
        }
    }
}

static void print_uuids(const struct ys_layout *layout)
{
    if (layout->long_uuid_count == 0)
        return;
    (void)printf("\n128-bit UUIDs                         in air order\n");
    for (size_t i = 0; i < layout->long_uuid_count; i++) {
        char text[YS_UUID_TEXT_SIZE];
        char air[64];
        (void)ys_hex_format(layout->long_uuids[i].bytes, 16, " ", air, sizeof air);
        (void)printf("%s  %s\n", ys_uuid_format(&layout->long_uuids[i], text), air);
    }
}

static bool format_hash(const struct ys_layout *layout, char *text, size_t size)
{
    uint8_t hash[16];
    bool good = ys_layout_hash(layout, hash);
    if (good)
        (void)ys_hex_format(hash, sizeof hash, "", text, size);
    return good;
}

static void print_hash(const struct ys_layout *layout)
{
    char text[40];
    if (format_hash(layout, text, sizeof text))
        (void)printf("\ndatabase hash  %s\n", text);
}

static void print_cost(const struct ys_layout *layout)
{
    (void)printf("\nit costs       %zu bytes of flash on a 32-bit target, and %u of RAM for stored values\n",
                 ys_layout_flash(layout), layout->values_size);
}

static void print_set(const struct ys_design *design, const struct ys_advertisement *set)
{
    struct ys_payload payload = ys_payload_compose(design, set);
    char title[200];
    const char *of = set->name != NULL ? " of " : "";
    const char *name = set->name != NULL ? set->name : "";
    size_t data_room = ys_payload_room(set, false);
    size_t response_room = ys_payload_room(set, true);
    (void)snprintf(title, sizeof title, "%sadvertisement%s%s", set->extended ? "extended " : "", of, name);
    if (data_room > 0)
        print_payload(design, title, payload.data, payload.data_length, data_room);
    (void)snprintf(title, sizeof title, "%sscan response%s%s", set->extended ? "extended " : "", of, name);
    if (response_room > 0)
        print_payload(design, title, payload.response, payload.response_length, response_room);
}

static void print_scanning(const struct ys_design *design)
{
    if (!design->scanning.given)
        return;
    char *text = ys_scanning_text(&design->scanning);
    (void)printf("\nlooks for      %s\n", text);
    free(text);
}

static void print_text(const struct ys_design *design, const struct ys_layout *layout)
{
    int width = 0;
    for (size_t i = 0; i < layout->count; i++) {
        char name[NAME_SIZE];
        name_of(&layout->rows[i], name, sizeof name);
        width = (int)strlen(name) > width ? (int)strlen(name) : width;
    }
    (void)printf("%-6s  %-*s %-36s %5s  %-26s %s\n", "handle", width, "attribute", "type", "bytes", "rights", "value");
    for (size_t i = 0; i < layout->count; i++)
        print_row(layout, i, width);
    print_uuids(layout);
    print_hash(layout);
    print_cost(layout);
    for (size_t i = 0; i < design->set_count; i++)
        print_set(design, &design->sets[i]);
    print_scanning(design);
}

/* JSON */

static json_t *json_row(const struct ys_layout *layout, size_t index)
{
    const struct ys_row *row = &layout->rows[index];
    uint8_t bytes[VALUE_MOST];
    char hex[2 * VALUE_MOST + 1];
    char uuid[YS_UUID_TEXT_SIZE];
    json_t *rights = json_object();
    int length = ys_row_value(layout, index, bytes, sizeof bytes);
    (void)json_object_set_new(rights, "read", json_string(ys_right_word((enum ys_right)YS_RIGHT_TO_READ(row->rights))));
    (void)json_object_set_new(rights, "write",
                              json_string(ys_right_word((enum ys_right)YS_RIGHT_TO_WRITE(row->rights))));
    (void)json_object_set_new(rights, "notify",
                              json_string(ys_right_word((enum ys_right)YS_RIGHT_TO_NOTIFY(row->rights))));
    json_t *object = json_object();
    (void)json_object_set_new(object, "handle", json_integer((json_int_t)index + 1));
    (void)json_object_set_new(object, "type", json_string(ys_uuid_format(&row->type, uuid)));
    (void)json_object_set_new(object, "service", json_string(row->service->name));
    (void)json_object_set_new(object, "characteristic",
                              row->characteristic != NULL ? json_string(row->characteristic->name) : json_null());
    (void)json_object_set_new(object, "size", json_integer(row->size));
    (void)json_object_set_new(object, "rights", rights);
    if (length >= 0)
        (void)ys_hex_format(bytes, (size_t)length, "", hex, sizeof hex);
    (void)json_object_set_new(object, "value", length >= 0 ? json_string(hex) : json_null());
    return object;
}

static json_t *json_structures(const struct ys_design *design, const uint8_t *bytes, size_t length)
{
    struct ys_reader reader = ys_reader_of(bytes, length);
    struct ys_ad ad;
    json_t *structures = json_array();
    while (ys_get_ad(&reader, &ad)) {
        char text[2 * 255 + 1];
        char meaning[1000];
        (void)ys_hex_format(ad.data, ad.length, "", text, sizeof text);
        ys_explain_structure(design, &ad, meaning, sizeof meaning);
        (void)json_array_append_new(structures, json_pack("{s:i, s:s, s:s, s:s}", "type", ad.type, "name",
                                                          ys_explain_type(ad.type), "data", text, "meaning", meaning));
    }
    return structures;
}

static json_t *json_set(const struct ys_design *design, const struct ys_advertisement *set)
{
    struct ys_payload payload = ys_payload_compose(design, set);
    char data[2 * YS_PAYLOAD_MOST + 1];
    char response[2 * YS_PAYLOAD_MOST + 1];
    (void)ys_hex_format(payload.data, payload.data_length, "", data, sizeof data);
    (void)ys_hex_format(payload.response, payload.response_length, "", response, sizeof response);
    return json_pack("{s:s?, s:b, s:I, s:s, s:I, s:s, s:o, s:o}", "name", set->name, "extended", set->extended,
                     "data_room_bytes", (json_int_t)ys_payload_room(set, false), "data", data, "response_room_bytes",
                     (json_int_t)ys_payload_room(set, true), "response", response, "data_structures",
                     json_structures(design, payload.data, payload.data_length), "response_structures",
                     json_structures(design, payload.response, payload.response_length));
}

static void print_json(const struct ys_design *design, const struct ys_layout *layout)
{
    json_t *root = json_object();
    json_t *attributes = json_array();
    for (size_t i = 0; i < layout->count; i++)
        (void)json_array_append_new(attributes, json_row(layout, i));
    (void)json_object_set_new(root, "kind", json_string("table"));
    (void)json_object_set_new(root, "device", json_string(design->name.text));
    (void)json_object_set_new(root, "attributes", attributes);
    char hash[40];
    if (format_hash(layout, hash, sizeof hash))
        (void)json_object_set_new(root, "database_hash", json_string(hash));
    (void)json_object_set_new(root, "flash_bytes", json_integer((json_int_t)ys_layout_flash(layout)));
    (void)json_object_set_new(root, "ram_bytes", json_integer(layout->values_size));
    if (design->scanning.given) {
        char *text = ys_scanning_text(&design->scanning);
        (void)json_object_set_new(root, "looks_for", json_string(text));
        free(text);
    }
    json_t *sets = json_array();
    for (size_t i = 0; i < design->set_count; i++)
        (void)json_array_append_new(sets, json_set(design, &design->sets[i]));
    (void)json_object_set_new(root, "advertising", sets);
    (void)json_dumpf(root, stdout, JSON_INDENT(2));
    (void)putchar('\n');
    json_decref(root);
}

int verb_table(int argc, char **argv)
{
    static const struct argp_option options[] = {
        {"json", 'j', NULL, 0, "Print JSON: device, attributes (handle, type, value, rights), payloads", 0}, {0}};
    static const struct argp argp = {
        .options = options,
        .parser = parse,
        .args_doc = "DEFINITION",
        .doc = "Shows the attribute table of a definition as a client discovers it: handle, type, length, rights and "
               "value of each attribute; 128-bit UUIDs as written and as sent; the advertisement.\vExit status: 0, or "
               "2 if the definition or an option is wrong.",
    };
    struct common input = {.json = false};
    if (!parse_options(&argp, argc, argv, &input))
        return EXIT_BAD_INPUT;
    struct ys_design *design;
    struct ys_layout *layout = open_only(argv[0], &input.files, &design);
    if (layout != NULL && input.json)
        print_json(design, layout);
    else if (layout != NULL)
        print_text(design, layout);
    int status = layout != NULL ? EXIT_AS_EXPECTED : EXIT_BAD_INPUT;
    ys_layout_free(layout);
    ys_design_free(design);
    return status;
}
