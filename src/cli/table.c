/* yarnswift table: shows the attribute table that a definition gives. */
#include <string.h>

#include <jansson.h>

#include <yarnswift/advertisement.h>

#include "cli/cli.h"
#include "design/hash.h"
#include "design/payload.h"
#include "design/value.h"
#include "wire/hex.h"

#define VALUE_MOST 512

static error_t parse(int key, char *argument, struct argp_state *state)
{
    (void)argument;
    return parse_common(key, state, state->input);
}

static const char *right_word(unsigned right)
{
    static const char *const words[] = {"none", "open", "encrypted", "authenticated"};
    return words[right];
}

/* "read open, write open, notify encrypted": what there is. */
static void rights_text(const struct ys_row *row, char *text, size_t size)
{
    const struct {
        const char *name;
        unsigned right;
    } rights[] = {{"read", YS_RIGHT_TO_READ(row->rights)},
                  {"write", YS_RIGHT_TO_WRITE(row->rights)},
                  {"notify", YS_RIGHT_TO_NOTIFY(row->rights)}};
    size_t used = 0;
    text[0] = '\0';
    for (size_t i = 0; i < 3; i++) {
        if (rights[i].right != YS_RIGHT_NONE)
            used += (size_t)snprintf(text + used, size - used, "%s%s %s", used > 0 ? ", " : "", rights[i].name,
                                     right_word(rights[i].right));
    }
}

/* text */

static void print_row(const struct ys_layout *layout, size_t index)
{
    const struct ys_row *row = &layout->rows[index];
    uint8_t bytes[VALUE_MOST];
    char rights[80];
    char uuid[YS_UUID_TEXT_SIZE];
    char text[2 * VALUE_MOST];
    char name[200];
    int length = ys_row_value(layout, index, bytes, sizeof bytes);
    rights_text(row, rights, sizeof rights);
    (void)ys_uuid_format(&row->type, uuid);
    switch (row->kind) {
    case YS_ATTRIBUTE_INCLUDE:
        (void)snprintf(name, sizeof name, "  includes %s", row->included->name);
        (void)snprintf(text, sizeof text, "which is at 0x%04X", ys_layout_service(layout, row->included));
        break;
    case YS_ATTRIBUTE_DESCRIPTOR:
        (void)snprintf(name, sizeof name, "    descriptor");
        if (ys_uuid_number(&row->type) == 0x2901)
            (void)snprintf(text, sizeof text, "\"%s\"", row->characteristic->description);
        else
            (void)ys_hex_format(bytes, row->size, " ", text, sizeof text);
        break;
    case YS_ATTRIBUTE_SERVICE:
    case YS_ATTRIBUTE_SECONDARY:
        (void)snprintf(name, sizeof name, "%s %s", row->kind == YS_ATTRIBUTE_SECONDARY ? "secondary" : "service",
                       row->service->name);
        (void)ys_uuid_format(&row->uuid, text);
        break;
    case YS_ATTRIBUTE_CHARACTERISTIC:
        (void)snprintf(name, sizeof name, "  characteristic %s", row->characteristic->name);
        (void)snprintf(text, sizeof text, "its value is at 0x%04zX", index + 2);
        break;
    case YS_ATTRIBUTE_VALUE:
        (void)snprintf(name, sizeof name, "    value");
        if (length >= 0)
            ys_value_format(&row->characteristic->type, bytes, (size_t)length, text, sizeof text);
        else
            (void)snprintf(text, sizeof text, row->characteristic->read_handler ? "from its handler" : "stored");
        break;
    default:
        (void)snprintf(name, sizeof name, "    client configuration");
        (void)snprintf(text, sizeof text, "off at first, for each connection");
        break;
    }
    (void)printf("0x%04zX  %-32s %-36s %5u  %-26s %s\n", index + 1, name, uuid, row->size, rights, text);
}

static void print_payload(const char *what, const uint8_t *bytes, size_t length)
{
    struct ys_reader reader = ys_reader_of(bytes, length);
    struct ys_ad ad;
    (void)printf("\n%s: %zu of 31 bytes, %zu left\n", what, length, 31 - length);
    while (ys_get_ad(&reader, &ad)) {
        char text[128];
        (void)ys_hex_format(ad.data, ad.length, " ", text, sizeof text);
        const char *meaning = ad.type == YS_AD_FLAGS           ? "flags"
                              : ad.type == YS_AD_NAME          ? "name"
                              : ys_ad_uuid_length(ad.type) > 0 ? "services"
                                                               : "other";
        (void)printf("  %-9s %02x %02x  %s\n", meaning, ad.length + 1, ad.type, text);
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

static void print_text(const struct ys_design *design, const struct ys_layout *layout)
{
    (void)printf("%-6s  %-32s %-36s %5s  %-26s %s\n", "handle", "attribute", "type", "bytes", "rights", "value");
    for (size_t i = 0; i < layout->count; i++)
        print_row(layout, i);
    print_uuids(layout);
    print_hash(layout);
    if (design->advertises) {
        struct ys_payload payload = ys_payload_compose(design);
        print_payload("advertisement", payload.data, payload.data_length);
        print_payload("scan response", payload.response, payload.response_length);
    }
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
    (void)json_object_set_new(rights, "read", json_string(right_word(YS_RIGHT_TO_READ(row->rights))));
    (void)json_object_set_new(rights, "write", json_string(right_word(YS_RIGHT_TO_WRITE(row->rights))));
    (void)json_object_set_new(rights, "notify", json_string(right_word(YS_RIGHT_TO_NOTIFY(row->rights))));
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

static void print_json(const struct ys_design *design, const struct ys_layout *layout)
{
    struct ys_payload payload = ys_payload_compose(design);
    json_t *root = json_object();
    json_t *attributes = json_array();
    for (size_t i = 0; i < layout->count; i++)
        (void)json_array_append_new(attributes, json_row(layout, i));
    (void)json_object_set_new(root, "device", json_string(design->name));
    (void)json_object_set_new(root, "attributes", attributes);
    char hash[40];
    if (format_hash(layout, hash, sizeof hash))
        (void)json_object_set_new(root, "database_hash", json_string(hash));
    (void)json_object_set_new(root, "values_size", json_integer(layout->values_size));
    if (design->advertises) {
        char hex[80];
        (void)ys_hex_format(payload.data, payload.data_length, "", hex, sizeof hex);
        (void)json_object_set_new(root, "advertisement", json_string(hex));
        (void)ys_hex_format(payload.response, payload.response_length, "", hex, sizeof hex);
        (void)json_object_set_new(root, "scan_response", json_string(hex));
    }
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
        .doc =
            "Shows the attribute table that a definition gives, as a client will find it: handle, type, length, rights "
            "and value of each attribute; 128-bit UUIDs as they are written and as they are sent; the advertisement.",
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
