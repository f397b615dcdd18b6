/* Generated C. */
#include "design/making/generate.h"

#include <ctype.h>
#include <stdlib.h>
#include <string.h>

#include "design/making/generate_values.h"
#include "design/making/link.h"
#include "design/making/payload.h"
#include "design/making/security.h"
#include "design/model/memory.h"

static char *upper(const char *text)
{
    char *copy = ys_copy(text, strlen(text));
    for (char *letter = copy; *letter != '\0'; letter++)
        *letter = (char)toupper((unsigned char)*letter);
    return copy;
}

static void put_bytes(FILE *stream, const char *name, const uint8_t *bytes, size_t length)
{
    (void)fprintf(stream, "static const uint8_t %s[] = {", name);
    for (size_t i = 0; i < length; i++)
        (void)fprintf(stream, "%s0x%02x", i == 0 ? "" : i % 16 == 0 ? ",\n    " : ", ", bytes[i]);
    (void)fputs(length == 0 ? "0};\n" : "};\n", stream);
}

/* header */

static void put_handles(FILE *stream, const char *prefix, const struct ys_layout *layout)
{
    (void)fputs(
        "/* Handles: of each service, of each characteristic's value, of its client configuration. */\nenum {\n",
        stream);
    for (size_t i = 0; i < layout->count; i++) {
        const struct ys_row *row = &layout->rows[i];
        const char *suffix = row->kind == YS_ATTRIBUTE_CONFIGURATION ? "_CONFIGURATION"
                             : ys_row_is_service(row)                ? "_SERVICE"
                                                                     : "";
        if (row->kind == YS_ATTRIBUTE_CHARACTERISTIC || row->kind == YS_ATTRIBUTE_INCLUDE ||
            row->kind == YS_ATTRIBUTE_DESCRIPTOR || row->kind == YS_ATTRIBUTE_STORED)
            continue;
        char *name = upper(ys_row_is_service(row) ? row->service->id : row->characteristic->id);
        (void)fprintf(stream, "    %s_%s%s = %zu%s\n", prefix, name, suffix, i + 1, i + 1 < layout->count ? "," : "");
        free(name);
    }
    (void)fputs("};\n\n", stream);
}

static void put_handlers(FILE *stream, const struct ys_design *design, const struct ys_layout *layout)
{
    bool any = layout->asks;
    for (size_t i = 0; i < layout->count; i++)
        any |= layout->rows[i].kind == YS_ATTRIBUTE_VALUE &&
               (layout->rows[i].characteristic->read_handler || layout->rows[i].characteristic->write_handler);
    if (!any)
        return;
    (void)fputs("/* Handlers, to be written by you. One that is missing or misspelt stops the build by its name. */\n",
                stream);
    for (size_t i = 0; i < layout->count; i++) {
        const struct ys_characteristic *characteristic = layout->rows[i].characteristic;
        if (layout->rows[i].kind != YS_ATTRIBUTE_VALUE)
            continue;
        if (characteristic->read_handler)
            (void)fprintf(stream, "ys_read_handler %s_%s_read;\n", design->id, characteristic->id);
        if (characteristic->write_handler)
            (void)fprintf(stream, "ys_write_handler %s_%s_write;\n", design->id, characteristic->id);
    }
    if (layout->asks)
        (void)fprintf(stream, "ys_consent_handler %s_consent;\n", design->id);
    (void)fputc('\n', stream);
}

/* The ends of valid ranges, raw, for those who check them. */
static void put_ranges(FILE *stream, const char *prefix, const struct ys_layout *layout)
{
    for (size_t i = 0; i < layout->count; i++) {
        const struct ys_characteristic *characteristic = layout->rows[i].characteristic;
        if (layout->rows[i].kind != YS_ATTRIBUTE_VALUE || !characteristic->has_range)
            continue;
        char *name = upper(characteristic->id);
        (void)fputs("/* The valid range of ", stream);
        ys_put_comment(stream, characteristic->name);
        (void)fprintf(stream, ". */\n#define %s_%s_LEAST (%lld)\n#define %s_%s_GREATEST (%lld)\n\n", prefix, name,
                      (long long)characteristic->range[0], prefix, name, (long long)characteristic->range[1]);
        free(name);
    }
}

void ys_generate_header(FILE *stream, const struct ys_design *design, const struct ys_layout *layout)
{
    char *prefix = upper(design->id);
    (void)fprintf(stream, YS_GENERATED_MARK "\n#ifndef %s_TABLE_H\n#define %s_TABLE_H\n\n", prefix, prefix);
    (void)fputs(
        "#include <stdbool.h>\n#include <stdint.h>\n#include <string.h>\n\n#include <yarnswift/gap.h>\n#include "
        "<yarnswift/medfloat.h>\n#include <yarnswift/security.h>\n#include <yarnswift/table.h>\n",
        stream);
    if (design->link.given)
        (void)fputs("#include <yarnswift/link.h>\n", stream);
    (void)fputs("\n#ifdef __cplusplus\nextern \"C\" {\n#endif\n\n", stream);
    put_handles(stream, prefix, layout);
    for (size_t i = 0; i < layout->count; i++) {
        if (layout->rows[i].kind == YS_ATTRIBUTE_VALUE)
            ys_generate_value_header(stream, design, layout->rows[i].characteristic);
    }
    put_ranges(stream, prefix, layout);
    put_handlers(stream, design, layout);
    if (layout->values_size > 0)
        (void)fprintf(stream,
                      "/* Bytes of memory that the host needs for stored values. */\n#define %s_VALUES_SIZE %u\n\n",
                      prefix, layout->values_size);
    (void)fprintf(stream, "extern const struct ys_table %s_table;\n", design->id);
    for (size_t i = 0; i < design->set_count; i++)
        (void)fprintf(stream, "extern const struct ys_advertising %s%s%s_advertising;\n", design->id,
                      design->sets[i].id != NULL ? "_" : "", design->sets[i].id != NULL ? design->sets[i].id : "");
    if (design->security.given)
        (void)fprintf(stream,
                      "/* How it pairs, for ys_host_use_pairing. */\nextern const struct ys_security %s_security;\n",
                      design->id);
    if (design->link.given)
        (void)fprintf(stream,
                      "/* What it asks of its connections, for ys_host_use_links. */\nextern const struct "
                      "ys_link_wishes %s_link;\n",
                      design->id);
    if (design->has_address)
        (void)fprintf(
            stream,
            "/* The device's static address, for the host's settings. */\nextern const uint8_t %s_address[6];\n",
            design->id);
    (void)fputs("\n#ifdef __cplusplus\n}\n#endif\n\n#endif\n", stream);
    free(prefix);
}

/* source */

static void put_long_uuids(FILE *stream, const struct ys_layout *layout)
{
    if (layout->long_uuid_count == 0)
        return;
    (void)fputs("static const uint8_t long_uuids[][16] = {\n", stream);
    for (size_t i = 0; i < layout->long_uuid_count; i++) {
        char text[YS_UUID_TEXT_SIZE];
        (void)fprintf(stream, "    /* %s */\n    {", ys_uuid_format(&layout->long_uuids[i], text));
        for (size_t j = 0; j < 16; j++)
            (void)fprintf(stream, "%s0x%02x", j > 0 ? ", " : "", layout->long_uuids[i].bytes[j]);
        (void)fputs("},\n", stream);
    }
    (void)fputs("};\n\n", stream);
}

static void put_handler(FILE *stream, const struct ys_design *design, const struct ys_characteristic *characteristic,
                        bool is, const char *what)
{
    if (is)
        (void)fprintf(stream, "%s_%s_%s, ", design->id, characteristic->id, what);
    else
        (void)fputs("NULL, ", stream);
}

static void put_index(FILE *stream, uint16_t index)
{
    if (index != YS_NONE)
        (void)fprintf(stream, "%u", index);
    else
        (void)fputs("YS_NONE", stream);
}

static void put_values(FILE *stream, const struct ys_design *design, const struct ys_layout *layout)
{
    for (size_t i = 0; i < layout->count; i++) {
        const struct ys_row *row = &layout->rows[i];
        const struct ys_characteristic *characteristic = row->characteristic;
        char name[300];
        if (row->kind != YS_ATTRIBUTE_VALUE)
            continue;
        bool bytes = characteristic->value != NULL && !characteristic->read_handler;
        if (bytes) {
            (void)snprintf(name, sizeof name, "bytes_of_%s", characteristic->id);
            put_bytes(stream, name, characteristic->value, characteristic->value_length);
        }
        (void)fprintf(stream, "static const struct ys_value value_of_%s = {", characteristic->id);
        put_handler(stream, design, characteristic, characteristic->read_handler, "read");
        put_handler(stream, design, characteristic, characteristic->write_handler, "write");
        (void)fprintf(stream, "%s, %zu, ", bytes ? name : "NULL", bytes ? characteristic->value_length : 0);
        put_index(stream, row->stored_at);
        (void)fputs(", ", stream);
        put_index(stream, row->notifiable);
        (void)fputs("};\n", stream);
    }
    (void)fputc('\n', stream);
}

static void put_descriptors(FILE *stream, const struct ys_layout *layout)
{
    for (size_t i = 0; i < layout->count; i++) {
        char name[32];
        const struct ys_row *row = &layout->rows[i];
        if (row->kind != YS_ATTRIBUTE_DESCRIPTOR && row->kind != YS_ATTRIBUTE_STORED)
            continue;
        (void)snprintf(name, sizeof name, "descriptor_%zu", i + 1);
        put_bytes(stream, name, row->bytes, row->length);
        if (row->kind == YS_ATTRIBUTE_STORED)
            (void)fprintf(stream, "static const struct ys_value value_of_%s = {NULL, NULL, %s, %u, %u, YS_NONE};\n",
                          name, name, row->length, row->stored_at);
    }
}

static void put_notifiables(FILE *stream, const struct ys_layout *layout)
{
    if (layout->notifiable_count == 0)
        return;
    (void)fputs("static const struct ys_notifiable notifiables[] = {\n", stream);
    for (size_t i = 0; i < layout->count; i++) {
        const struct ys_row *row = &layout->rows[i];
        if (row->kind == YS_ATTRIBUTE_VALUE && row->notifiable != YS_NONE)
            (void)fprintf(stream, "    {%zu, %u},\n", i + 1, (unsigned)(row->characteristic->spacing_us.number / 1000));
    }
    (void)fputs("};\n\n", stream);
}

static const char *right_name(unsigned right)
{
    static const char *const names[] = {"YS_RIGHT_NONE", "YS_RIGHT_OPEN", "YS_RIGHT_ENCRYPTED",
                                        "YS_RIGHT_AUTHENTICATED", "YS_RIGHT_SECURE_CONNECTIONS"};
    return names[right];
}

static void put_number(FILE *stream, const struct ys_layout *layout, const struct ys_uuid *uuid, const char *kind,
                       bool variable)
{
    bool is_long = uuid->length == 16;
    if (is_long)
        (void)fprintf(stream, "%zu", ys_layout_long_uuid(layout, uuid));
    else
        (void)fprintf(stream, "0x%04x", (unsigned)ys_uuid_number(uuid));
    (void)fprintf(stream, ", %s%s%s", kind, is_long ? " | YS_ATTRIBUTE_LONG_UUID" : "",
                  variable ? " | YS_ATTRIBUTE_VARIABLE" : "");
}

static void put_row(FILE *stream, const struct ys_layout *layout, size_t index)
{
    const struct ys_row *row = &layout->rows[index];
    unsigned size = ys_row_is_service(row) ? row->last_handle : row->size;
    (void)fputs("    {", stream);
    switch (row->kind) {
    case YS_ATTRIBUTE_SERVICE:
        put_number(stream, layout, &row->uuid, "YS_ATTRIBUTE_SERVICE", false);
        break;
    case YS_ATTRIBUTE_SECONDARY:
        put_number(stream, layout, &row->uuid, "YS_ATTRIBUTE_SECONDARY", false);
        break;
    case YS_ATTRIBUTE_INCLUDE:
        (void)fprintf(stream, "%u, YS_ATTRIBUTE_INCLUDE", ys_layout_service(layout, row->included));
        break;
    case YS_ATTRIBUTE_DESCRIPTOR:
        put_number(stream, layout, &row->uuid, "YS_ATTRIBUTE_DESCRIPTOR", false);
        break;
    case YS_ATTRIBUTE_FEATURES:
        put_number(stream, layout, &row->uuid, "YS_ATTRIBUTE_FEATURES", false);
        break;
    case YS_ATTRIBUTE_STORED:
        put_number(stream, layout, &row->uuid, "YS_ATTRIBUTE_STORED", row->variable);
        break;
    case YS_ATTRIBUTE_CHARACTERISTIC:
        (void)fputs("0, YS_ATTRIBUTE_CHARACTERISTIC", stream);
        break;
    case YS_ATTRIBUTE_VALUE:
        put_number(stream, layout, &row->uuid, "YS_ATTRIBUTE_VALUE", row->variable);
        break;
    default:
        (void)fprintf(stream, "%u, YS_ATTRIBUTE_CONFIGURATION", row->notifiable);
        break;
    }
    (void)fprintf(stream, ", 0x%02x, YS_RIGHTS(%s, %s, %s)%s%s, %u, ", row->properties,
                  right_name(YS_RIGHT_TO_READ(row->rights)), right_name(YS_RIGHT_TO_WRITE(row->rights)),
                  right_name(YS_RIGHT_TO_NOTIFY(row->rights)),
                  (row->rights & YS_ASKS_TO_READ) != 0 ? " | YS_ASKS_TO_READ" : "",
                  (row->rights & YS_ASKS_TO_WRITE) != 0 ? " | YS_ASKS_TO_WRITE" : "", size);
    if (row->kind == YS_ATTRIBUTE_VALUE)
        (void)fprintf(stream, "&value_of_%s},\n", row->characteristic->id);
    else if (row->kind == YS_ATTRIBUTE_DESCRIPTOR)
        (void)fprintf(stream, "descriptor_%zu},\n", index + 1);
    else if (row->kind == YS_ATTRIBUTE_STORED)
        (void)fprintf(stream, "&value_of_descriptor_%zu},\n", index + 1);
    else
        (void)fputs("NULL},\n", stream);
}

static const char *yes(bool value)
{
    return value ? "true" : "false";
}

static void put_options(FILE *stream, const char *name, const struct ys_set_options *options)
{
    static const char *const phys[] = {"YS_SET_1M", "YS_SET_2M", "YS_SET_CODED"};
    (void)fprintf(stream, "\nstatic const struct ys_set_options %s = {\n", name);
    (void)fprintf(stream, "    /* extended */ %s, /* anonymous */ %s, /* tells power */ %s, /* tells requests */ %s,\n",
                  yes(options->extended), yes(options->anonymous), yes(options->tells_power),
                  yes(options->tells_requests));
    (void)fprintf(stream,
                  "    /* power */ %s, %d, /* primary PHY */ %s, /* PHY */ %s, /* set */ %u, /* events */ %u};\n",
                  yes(options->has_power), options->power_dbm, phys[options->primary_phy], phys[options->phy],
                  options->set_id, options->events);
}

static void put_advertising(FILE *stream, const struct ys_design *design, const struct ys_advertisement *set)
{
    static const char *const kinds[] = {"YS_ADVERTISE_CONNECTABLE", "YS_ADVERTISE_SCANNABLE", "YS_ADVERTISE_BEACON"};
    static const char *const findables[] = {"YS_FINDABLE_WHILE_FREE", "YS_FINDABLE_UNTIL_CONNECTED",
                                            "YS_FINDABLE_ALWAYS"};
    struct ys_payload payload = ys_payload_compose(design, set);
    const char *id = set->id != NULL ? set->id : "";
    const char *between = set->id != NULL ? "_" : "";
    char data[300];
    char response[300];
    const char *of = set->id != NULL ? "_of_" : "";
    (void)snprintf(data, sizeof data, "advertisement%s%s", of, id);
    (void)snprintf(response, sizeof response, "scan_response%s%s", of, id);
    (void)fputc('\n', stream);
    put_bytes(stream, data, payload.data, payload.data_length);
    put_bytes(stream, response, payload.response, payload.response_length);
    struct ys_set_options options;
    struct ys_advertising advertising = ys_advertisement_settings(set, &payload, &options);
    char name[300] = "NULL";
    if (advertising.options != NULL) {
        (void)snprintf(name, sizeof name, "options%s%s", of, id);
        put_options(stream, name, &options);
        (void)snprintf(name, sizeof name, "&options%s%s", of, id);
    }
    (void)fprintf(stream, "\nconst struct ys_advertising %s%s%s_advertising = {\n", design->id, between, id);
    (void)fprintf(stream, "    /* interval of */ %lu, %lu, %s,\n", (unsigned long)advertising.interval_min_us,
                  (unsigned long)advertising.interval_max_us, kinds[advertising.kind]);
    (void)fprintf(stream, "    %zu, %zu, %s, %s, %s,\n", payload.data_length, payload.response_length, data, response,
                  findables[advertising.findable]);
    (void)fprintf(stream, "    /* channels */ 0x%02x, /* duration */ %lu, /* filter */ 0, /* peer */ {0, {0}}, %s};\n",
                  advertising.channels, (unsigned long)advertising.duration_ms, name);
}

static void put_address(FILE *stream, const struct ys_design *design)
{
    if (!design->has_address)
        return;
    (void)fprintf(stream, "\nconst uint8_t %s_address[6] = {", design->id);
    for (size_t i = 0; i < 6; i++)
        (void)fprintf(stream, "%s0x%02x", i > 0 ? ", " : "", design->address.bytes[i]);
    (void)fputs("};\n", stream);
}

static void put_link(FILE *stream, const struct ys_design *design)
{
    struct ys_link_wishes link;
    if (!ys_link_of(design, &link))
        return;
    (void)fprintf(stream,
                  "\nconst struct ys_link_wishes %s_link = {%luu, %luu, %u, %u, %luu, %u, %u, %u, %u, %u, %u};\n",
                  design->id, (unsigned long)link.interval_min_us, (unsigned long)link.interval_max_us, link.latency,
                  link.supervision_timeout_ms, (unsigned long)link.event_length_us, link.pause_ms, link.packet_length,
                  link.send_phys, link.receive_phys, link.coding, link.accepts);
}

static void put_security(FILE *stream, const struct ys_design *design)
{
    struct ys_security security;
    if (!design->security.given)
        return;
    ys_security_of(design, &security);
    (void)fprintf(stream,
                  "\nconst struct ys_security %s_security = {%u, %u, %u, %u, %u, %s, %s, %s, %s, %s, %s, %u, %luu};\n",
                  design->id, security.capability, security.least, security.key_size_min, security.key_size_max,
                  security.bonds, yes(security.forgets), yes(security.authenticates), yes(security.forbids_legacy),
                  yes(security.allows_debug_key), yes(security.waits), yes(security.privacy), security.rotation_s,
                  (unsigned long)security.passkey);
}

/* What the definition asks of config.h, said when the tables are compiled. */
static void put_limits(FILE *stream, const struct ys_design *design, const struct ys_layout *layout)
{
    const struct {
        const char *name;
        uint64_t least;
        const char *what;
    } limits[] = {
        {"YS_CONNECTIONS", design->limits.connections.number, "connections"},
        {"YS_MTU", design->limits.mtu.number, "bytes of MTU"},
        {"YS_NOTIFIABLES", layout->notifiable_count, "characteristics that notify or indicate"},
    };
    for (size_t i = 0; i < sizeof limits / sizeof limits[0]; i++) {
        if (limits[i].least > 0)
            (void)fprintf(stream, "#if %s < %llu\n#error \"%s has %llu %s: build with -D%s=%llu\"\n#endif\n",
                          limits[i].name, (unsigned long long)limits[i].least, design->id,
                          (unsigned long long)limits[i].least, limits[i].what, limits[i].name,
                          (unsigned long long)limits[i].least);
    }
}

void ys_generate_config(FILE *stream, const struct ys_design *design, const struct ys_layout *layout)
{
    const struct {
        const char *name;
        uint64_t size; /* 0: nothing is said of it */
    } sizes[] = {
        {"YS_CONNECTIONS", design->limits.connections.number},
        {"YS_MTU", design->limits.mtu.number},
        {"YS_NOTIFIABLES", layout->notifiable_count > 0 ? layout->notifiable_count : 1},
        {"YS_SETS", ys_design_has_sets(design) ? design->set_count : 0},
    };
    char *prefix = upper(design->id);
    (void)fprintf(stream,
                  YS_GENERATED_MARK
                  "\n/* The sizes that this definition needs, for the host library and all that includes "
                  "its headers:\n * -DYS_CONFIG_FILE='\"%s_config.h\"'. What is defined before counts. "
                  "*/\n#ifndef %s_CONFIG_H\n#define %s_CONFIG_H\n\n",
                  design->id, prefix, prefix);
    for (size_t i = 0; i < sizeof sizes / sizeof sizes[0]; i++) {
        if (sizes[i].size > 0)
            (void)fprintf(stream, "#ifndef %s\n#define %s %llu\n#endif\n", sizes[i].name, sizes[i].name,
                          (unsigned long long)sizes[i].size);
    }
    (void)fputs("\n#endif\n", stream);
    free(prefix);
}

void ys_generate_source(FILE *stream, const struct ys_design *design, const struct ys_layout *layout)
{
    (void)fprintf(stream,
                  YS_GENERATED_MARK "\n#include \"%s_table.h\"\n\n#include <string.h>\n\n#include "
                                    "<yarnswift/config.h>\n#include <yarnswift/sets.h>\n\n",
                  design->id);
    put_limits(stream, design, layout);
    (void)fputc('\n', stream);
    for (size_t i = 0; i < layout->count; i++) {
        if (layout->rows[i].kind == YS_ATTRIBUTE_VALUE)
            ys_generate_value_source(stream, design, layout->rows[i].characteristic);
    }
    put_long_uuids(stream, layout);
    put_values(stream, design, layout);
    put_descriptors(stream, layout);
    put_notifiables(stream, layout);
    (void)fputs("static const struct ys_attribute attributes[] = {\n", stream);
    for (size_t i = 0; i < layout->count; i++)
        put_row(stream, layout, i);
    (void)fprintf(
        stream, "};\n\nconst struct ys_table %s_table = {attributes, %s, %s, %s%s, %zu, %u, %u, %u};\n", design->id,
        layout->long_uuid_count > 0 ? "long_uuids" : "NULL", layout->notifiable_count > 0 ? "notifiables" : "NULL",
        layout->asks ? design->id : "NULL", layout->asks ? "_consent" : "", layout->count, layout->notifiable_count,
        layout->values_size,
        design->security.given && !design->security.key_size.given ? 16u : (unsigned)design->security.key_size.number);
    for (size_t i = 0; i < design->set_count; i++)
        put_advertising(stream, design, &design->sets[i]);
    put_address(stream, design);
    put_security(stream, design);
    put_link(stream, design);
}

/* skeleton */

static void put_read_skeleton(FILE *stream, const struct ys_design *design,
                              const struct ys_characteristic *characteristic)
{
    (void)fputs("\n/* ", stream);
    ys_put_comment(stream, characteristic->name);
    (void)fprintf(stream,
                  " is read, or its notification is due: put its value. */\nuint8_t %s_%s_read(const struct ys_access "
                  "*access, struct ys_writer *value)\n{\n    (void)access;\n",
                  design->id, characteristic->id);
    if (characteristic->type.format->kind == YS_FORMAT_STRUCT)
        (void)fprintf(stream, "    const struct %s_%s now = {0};\n    %s_%s_put(value, &now);\n", design->id,
                      characteristic->id, design->id, characteristic->id);
    else if (ys_value_is_scalar(characteristic)) {
        const char *type = ys_value_c_type(characteristic);
        bool medfloat = characteristic->type.format->kind == YS_FORMAT_MEDFLOAT;
        bool boolean = characteristic->type.format->kind == YS_FORMAT_BOOLEAN;
        (void)fprintf(stream, "    %s now = %s;", type, medfloat ? "{0}" : boolean ? "false" : "0");
        ys_value_put_unit(stream, characteristic);
        (void)fprintf(stream, "\n    %s_%s_put(value, now);\n", design->id, characteristic->id);
    } else
        (void)fprintf(stream, "    static const uint8_t zeros[%u];\n    ys_put_bytes(value, zeros, sizeof zeros);\n",
                      (unsigned)characteristic->type.length.number);
    (void)fputs("    return YS_ATT_OK;\n}\n", stream);
}

/* Refuses what is out of the valid range, as far as its type has anything beyond. */
static void put_range_check(FILE *stream, const struct ys_design *design,
                            const struct ys_characteristic *characteristic)
{
    const struct ys_format *format = characteristic->type.format;
    bool is_signed = format->kind == YS_FORMAT_SIGNED;
    if (!characteristic->has_range || (!is_signed && format->kind != YS_FORMAT_UNSIGNED))
        return;
    unsigned bits = 8u * format->size - is_signed;
    bool below = characteristic->range[0] > (is_signed ? INT64_MIN >> (63 - bits) : 0);
    bool above = bits < 63 && characteristic->range[1] < (INT64_C(1) << bits) - 1;
    char *name = upper(characteristic->id);
    char *prefix = upper(design->id);
    if (below || above) {
        (void)fputs("    if (", stream);
        if (below)
            (void)fprintf(stream, "wanted < %s_%s_LEAST", prefix, name);
        if (above)
            (void)fprintf(stream, "%swanted > %s_%s_GREATEST", below ? " || " : "", prefix, name);
        (void)fputs(")\n        return YS_ATT_OUT_OF_RANGE;\n", stream);
    }
    free(prefix);
    free(name);
}

static void put_write_skeleton(FILE *stream, const struct ys_design *design,
                               const struct ys_characteristic *characteristic)
{
    (void)fputs("\n/* ", stream);
    ys_put_comment(stream, characteristic->name);
    (void)fprintf(stream,
                  " is written: take its value, or refuse it, such as with YS_ATT_OUT_OF_RANGE. */\nuint8_t "
                  "%s_%s_write(const struct ys_access *access, struct ys_reader *value)\n{\n    (void)access;\n",
                  design->id, characteristic->id);
    if (characteristic->type.format->kind == YS_FORMAT_STRUCT)
        (void)fprintf(stream,
                      "    struct %s_%s wanted;\n    if (!%s_%s_get(value, &wanted))\n        return "
                      "YS_ATT_INVALID_VALUE_LENGTH;\n",
                      design->id, characteristic->id, design->id, characteristic->id);
    else if (ys_value_is_scalar(characteristic)) {
        (void)fprintf(stream, "    %s wanted;", ys_value_c_type(characteristic));
        ys_value_put_unit(stream, characteristic);
        (void)fprintf(stream, "\n    if (!%s_%s_get(value, &wanted))\n        return YS_ATT_INVALID_VALUE_LENGTH;\n",
                      design->id, characteristic->id);
        put_range_check(stream, design, characteristic);
    } else
        (void)fputs("    (void)value;\n", stream);
    (void)fputs("    return YS_ATT_OK;\n}\n", stream);
}

void ys_generate_skeleton(FILE *stream, const struct ys_design *design, const struct ys_layout *layout)
{
    (void)fputs("/* The handlers of ", stream);
    ys_put_comment(stream, design->name.text);
    (void)fprintf(stream,
                  ". Yours from now on: yarnswift does not write this file again. */\n#include \"%s_table.h\"\n",
                  design->id);
    for (size_t i = 0; i < layout->count; i++) {
        const struct ys_characteristic *characteristic = layout->rows[i].characteristic;
        if (layout->rows[i].kind != YS_ATTRIBUTE_VALUE)
            continue;
        if (characteristic->read_handler)
            put_read_skeleton(stream, design, characteristic);
        if (characteristic->write_handler)
            put_write_skeleton(stream, design, characteristic);
    }
    if (layout->asks)
        (void)fprintf(stream,
                      "\n/* Somebody wants to do what needs consent: ask whoever decides. */\nuint8_t %s_consent(const "
                      "struct ys_access *access, enum ys_wish wish)\n{\n    (void)access;\n    (void)wish;\n    return "
                      "YS_ATT_INSUFFICIENT_AUTHORIZATION;\n}\n",
                      design->id);
}
