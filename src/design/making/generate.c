/* Generated C. */
#include "design/making/generate.h"

#include <stdlib.h>
#include <string.h>

#include "design/making/c_text.h"
#include "design/making/generate_advertising.h"
#include "design/making/generate_values.h"
#include "design/making/hash.h"
#include "design/making/link.h"
#include "design/making/naming.h"
#include "design/making/payload.h"
#include "design/making/security.h"
#include "design/model/memory.h"

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
        char *name = ys_c_upper(ys_row_is_service(row) ? row->service->id : row->characteristic->id);
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
        if (ys_handler_is_first(layout, i, false))
            (void)fprintf(stream, "ys_read_handler %s_%s_read;\n", design->id,
                          ys_handler_id(layout->rows[i].characteristic));
        if (ys_handler_is_first(layout, i, true))
            (void)fprintf(stream, "ys_write_handler %s_%s_write;\n", design->id,
                          ys_handler_id(layout->rows[i].characteristic));
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
        char *name = ys_c_upper(characteristic->id);
        (void)fputs("/* The valid range of ", stream);
        ys_c_put_comment(stream, characteristic->name);
        (void)fprintf(stream, ". */\n#define %s_%s_MIN (%lld)\n#define %s_%s_MAX (%lld)\n\n", prefix, name,
                      (long long)characteristic->range[0], prefix, name, (long long)characteristic->range[1]);
        free(name);
    }
}

/* Declarations that are the same in each header generated from one definition: only the first one counts. */
void ys_generate_values(FILE *stream, const struct ys_design *design, const struct ys_layout *layout)
{
    char *prefix = ys_c_upper(design->id);
    (void)fprintf(stream, "#ifndef %s_VALUES_H\n#define %s_VALUES_H\n\n", prefix, prefix);
    for (size_t i = 0; i < layout->count; i++) {
        if (layout->rows[i].kind != YS_ATTRIBUTE_VALUE)
            continue;
        const struct ys_typed typed = ys_typed_of(design, layout->rows[i].characteristic);
        ys_generate_value(stream, &typed);
    }
    put_ranges(stream, prefix, layout);
    for (size_t i = 0; i < design->set_count; i++)
        ys_generate_payload_values(stream, design, &design->sets[i]);
    (void)fputs("#endif\n\n", stream);
    free(prefix);
}

void ys_generate_header(FILE *stream, const struct ys_design *design, const struct ys_layout *layout)
{
    char *prefix = ys_c_upper(design->id);
    (void)fprintf(stream, YS_GENERATED_MARK "\n#ifndef %s_TABLE_H\n#define %s_TABLE_H\n\n", prefix, prefix);
    (void)fputs("#include <stdbool.h>\n#include <stdint.h>\n#include <string.h>\n\n#include "
                "<yarnswift/advertisement.h>\n#include <yarnswift/gap.h>\n#include "
                "<yarnswift/medfloat.h>\n#include <yarnswift/security.h>\n#include <yarnswift/table.h>\n",
                stream);
    if (design->link.given)
        (void)fputs("#include <yarnswift/link.h>\n", stream);
    (void)fputs("\n#ifdef __cplusplus\nextern \"C\" {\n#endif\n\n", stream);
    put_handles(stream, prefix, layout);
    ys_generate_values(stream, design, layout);
    put_handlers(stream, design, layout);
    if (layout->values_size > 0)
        (void)fprintf(stream,
                      "/* Bytes of memory that the host needs for stored values. */\n#define %s_VALUES_SIZE %u\n\n",
                      prefix, layout->values_size);
    (void)fprintf(stream, "extern const struct ys_table %s_table;\n", design->id);
    for (size_t i = 0; i < design->set_count; i++)
        ys_generate_advertising_header(stream, design, &design->sets[i]);
    if (design->scanning.given)
        (void)fprintf(stream,
                      "/* What it looks for, for ys_scan and for a remote. */\nextern const struct ys_scanning "
                      "%s_scanning;\n",
                      design->id);
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

static bool refuses(const struct ys_characteristic *characteristic)
{
    return ys_is_writable(characteristic) && !characteristic->any_value && ys_range_limits(characteristic);
}

/* A function before the handler, or the memory, that refuses values out of the valid range. */
static void put_refusal(FILE *stream, const struct ys_design *design, const struct ys_characteristic *one)
{
    (void)fprintf(stream,
                  "static uint8_t checked_write_of_%s(const struct ys_access *access, struct ys_reader *value)\n{\n    "
                  "struct ys_reader ahead = *value;\n    %s wanted;\n    if (!%s_%s_get(&ahead, &wanted))\n        "
                  "return YS_ATT_INVALID_VALUE_LENGTH;\n",
                  one->id, ys_value_c_type(&one->type), design->id, one->id);
    ys_generate_range_check(stream, design->id, one, "    ");
    if (one->write_handler)
        (void)fprintf(stream, "    return %s_%s_write(access, value);\n}\n", design->id, ys_handler_id(one));
    else
        (void)fputs("    return ys_value_store(access, value);\n}\n", stream);
}

static void put_handler(FILE *stream, const struct ys_design *design, const struct ys_characteristic *one, bool write)
{
    if (write && refuses(one))
        (void)fprintf(stream, "checked_write_of_%s, ", one->id);
    else if (write ? one->write_handler : one->read_handler)
        (void)fprintf(stream, "%s_%s_%s, ", design->id, ys_handler_id(one), write ? "write" : "read");
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
            ys_c_put_bytes(stream, "", name, characteristic->value, characteristic->value_length);
        }
        if (refuses(characteristic))
            put_refusal(stream, design, characteristic);
        (void)fprintf(stream, "static const struct ys_value value_of_%s = {", characteristic->id);
        put_handler(stream, design, characteristic, false);
        put_handler(stream, design, characteristic, true);
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
        ys_c_put_bytes(stream, "", name, row->bytes, row->length);
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

static void put_address_bytes(FILE *stream, const struct ys_design *design)
{
    for (size_t i = 0; i < sizeof design->address.bytes; i++)
        (void)fprintf(stream, "%s0x%02x", i > 0 ? ", " : "{", design->address.bytes[i]);
    (void)fputc('}', stream);
}

static void put_address(FILE *stream, const struct ys_design *design)
{
    if (!design->has_address)
        return;
    (void)fprintf(stream, "\nconst uint8_t %s_address[6] = ", design->id);
    put_address_bytes(stream, design);
    (void)fputs(";\n", stream);
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

/* The requirements of the definition on config.h, checked when the tables are compiled. */
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

/* What a main program needs that serves any definition. */
static void put_own(FILE *stream, const struct ys_design *design, const struct ys_layout *layout)
{
    (void)fprintf(stream,
                  "\n/* For a main program: which table this is, and the address for struct ys_host_settings. */\n"
                  "#define YS_TABLE_STAMP 0x%08lxu\n#define YS_OWN_ADDRESS_TYPE %s\n",
                  (unsigned long)ys_layout_stamp(layout),
                  design->public_address    ? "YS_OWN_PUBLIC"
                  : design->private_address ? "YS_OWN_NON_RESOLVABLE"
                                            : "YS_OWN_STATIC");
    if (!design->has_address)
        return;
    (void)fputs("#define YS_OWN_ADDRESS_BYTES ", stream);
    put_address_bytes(stream, design);
    (void)fputc('\n', stream);
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
    char *prefix = ys_c_upper(design->id);
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
    put_own(stream, design, layout);
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
        ys_generate_advertising_source(stream, design, &design->sets[i]);
    put_address(stream, design);
    put_security(stream, design);
    put_link(stream, design);
    ys_generate_scanning_source(stream, design);
}
