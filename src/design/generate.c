/* Generated C. */
#include "design/generate.h"

#include <ctype.h>
#include <stdlib.h>
#include <string.h>

#include "design/generate_values.h"
#include "design/memory.h"
#include "design/payload.h"

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
            row->kind == YS_ATTRIBUTE_DESCRIPTOR)
            continue;
        char *name = upper(ys_row_is_service(row) ? row->service->id : row->characteristic->id);
        (void)fprintf(stream, "    %s_%s%s = %zu%s\n", prefix, name, suffix, i + 1, i + 1 < layout->count ? "," : "");
        free(name);
    }
    (void)fputs("};\n\n", stream);
}

static void put_handlers(FILE *stream, const struct ys_design *design, const struct ys_layout *layout)
{
    bool any = false;
    for (size_t i = 0; i < layout->count; i++) {
        const struct ys_row *row = &layout->rows[i];
        const struct ys_characteristic *characteristic = row->characteristic;
        if (row->kind != YS_ATTRIBUTE_VALUE || (!characteristic->read_handler && !characteristic->write_handler))
            continue;
        if (!any)
            (void)fputs(
                "/* Handlers, to be written by you. One that is missing or misspelt stops the build by its name. "
                "*/\n",
                stream);
        any = true;
        if (characteristic->read_handler)
            (void)fprintf(stream, "ys_read_handler %s_%s_read;\n", design->id, characteristic->id);
        if (characteristic->write_handler)
            (void)fprintf(stream, "ys_write_handler %s_%s_write;\n", design->id, characteristic->id);
    }
    if (any)
        (void)fputc('\n', stream);
}

void ys_generate_header(FILE *stream, const struct ys_design *design, const struct ys_layout *layout)
{
    char *prefix = upper(design->id);
    (void)fprintf(stream, YS_GENERATED_MARK "\n#ifndef %s_TABLE_H\n#define %s_TABLE_H\n\n", prefix, prefix);
    (void)fputs(
        "#include <stdbool.h>\n#include <stdint.h>\n\n#include <yarnswift/gap.h>\n#include "
        "<yarnswift/medfloat.h>\n#include <yarnswift/table.h>\n\n#ifdef __cplusplus\nextern \"C\" {\n#endif\n\n",
        stream);
    put_handles(stream, prefix, layout);
    for (size_t i = 0; i < layout->count; i++) {
        if (layout->rows[i].kind == YS_ATTRIBUTE_VALUE)
            ys_generate_value_header(stream, design, layout->rows[i].characteristic);
    }
    put_handlers(stream, design, layout);
    if (layout->values_size > 0)
        (void)fprintf(stream,
                      "/* Bytes of memory that the host needs for stored values. */\n#define %s_VALUES_SIZE %u\n\n",
                      prefix, layout->values_size);
    (void)fprintf(stream, "extern const struct ys_table %s_table;\n", design->id);
    if (design->advertises)
        (void)fprintf(stream, "extern const struct ys_advertising %s_advertising;\n", design->id);
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
            (void)snprintf(name, sizeof name, "%s_bytes", characteristic->id);
            put_bytes(stream, name, characteristic->value, characteristic->value_length);
        }
        (void)fprintf(stream, "static const struct ys_value %s_value = {", characteristic->id);
        if (characteristic->read_handler)
            (void)fprintf(stream, ".read = %s_%s_read, ", design->id, characteristic->id);
        if (characteristic->write_handler)
            (void)fprintf(stream, ".write = %s_%s_write, ", design->id, characteristic->id);
        if (bytes)
            (void)fprintf(stream, ".bytes = %s, .length = %zu, ", name, characteristic->value_length);
        if (row->stored_at != YS_NONE)
            (void)fprintf(stream, ".stored_at = %u, ", row->stored_at);
        else
            (void)fputs(".stored_at = YS_NONE, ", stream);
        if (row->notifiable != YS_NONE)
            (void)fprintf(stream, ".notifiable = %u};\n", row->notifiable);
        else
            (void)fputs(".notifiable = YS_NONE};\n", stream);
    }
    (void)fputc('\n', stream);
}

static void put_descriptors(FILE *stream, const struct ys_layout *layout)
{
    for (size_t i = 0; i < layout->count; i++) {
        char name[32];
        if (layout->rows[i].kind != YS_ATTRIBUTE_DESCRIPTOR)
            continue;
        (void)snprintf(name, sizeof name, "descriptor_%zu", i + 1);
        put_bytes(stream, name, layout->rows[i].bytes, layout->rows[i].size);
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
            (void)fprintf(stream, "    {%zu, %u},\n", i + 1, (unsigned)(row->characteristic->spacing_us / 1000));
    }
    (void)fputs("};\n\n", stream);
}

static const char *right_name(unsigned right)
{
    static const char *const names[] = {"YS_RIGHT_NONE", "YS_RIGHT_OPEN", "YS_RIGHT_ENCRYPTED",
                                        "YS_RIGHT_AUTHENTICATED"};
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
    (void)fprintf(stream, ", 0x%02x, YS_RIGHTS(%s, %s, %s), %u, ", row->properties,
                  right_name(YS_RIGHT_TO_READ(row->rights)), right_name(YS_RIGHT_TO_WRITE(row->rights)),
                  right_name(YS_RIGHT_TO_NOTIFY(row->rights)), size);
    if (row->kind == YS_ATTRIBUTE_VALUE)
        (void)fprintf(stream, "&%s_value},\n", row->characteristic->id);
    else if (row->kind == YS_ATTRIBUTE_DESCRIPTOR)
        (void)fprintf(stream, "descriptor_%zu},\n", index + 1);
    else
        (void)fputs("NULL},\n", stream);
}

static void put_advertising(FILE *stream, const struct ys_design *design)
{
    struct ys_payload payload = ys_payload_compose(design);
    put_bytes(stream, "advertisement", payload.data, payload.data_length);
    put_bytes(stream, "scan_response", payload.response, payload.response_length);
    (void)fprintf(stream,
                  "\nconst struct ys_advertising %s_advertising = {\n"
                  "    .interval_min_us = %llu,\n    .interval_max_us = %llu,\n"
                  "    .kind = YS_ADVERTISE_CONNECTABLE,\n"
                  "    .data_length = %zu,\n    .response_length = %zu,\n"
                  "    .data = advertisement,\n    .response = scan_response,\n};\n",
                  design->id, (unsigned long long)design->interval_min_us, (unsigned long long)design->interval_max_us,
                  payload.data_length, payload.response_length);
}

void ys_generate_source(FILE *stream, const struct ys_design *design, const struct ys_layout *layout)
{
    (void)fprintf(stream, YS_GENERATED_MARK "\n#include \"%s_table.h\"\n\n#include <string.h>\n\n", design->id);
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
    (void)fprintf(stream, "};\n\nconst struct ys_table %s_table = {\n    .attributes = attributes,\n", design->id);
    if (layout->long_uuid_count > 0)
        (void)fputs("    .long_uuids = long_uuids,\n", stream);
    if (layout->notifiable_count > 0)
        (void)fputs("    .notifiables = notifiables,\n", stream);
    (void)fprintf(stream, "    .attribute_count = %zu,\n    .notifiable_count = %u,\n    .values_size = %u,\n};\n",
                  layout->count, layout->notifiable_count, layout->values_size);
    if (design->advertises) {
        (void)fputc('\n', stream);
        put_advertising(stream, design);
    }
}

/* skeleton */

static void put_read_skeleton(FILE *stream, const struct ys_design *design,
                              const struct ys_characteristic *characteristic)
{
    (void)fprintf(stream,
                  "\n/* %s is read, or its notification is due: put its value. */\nuint8_t %s_%s_read(const struct "
                  "ys_access *access, struct ys_writer *value)\n{\n    (void)access;\n",
                  characteristic->name, design->id, characteristic->id);
    if (characteristic->type.format->kind == YS_FORMAT_STRUCT)
        (void)fprintf(stream, "    const struct %s_%s now = {0};\n    %s_%s_put(value, &now);\n", design->id,
                      characteristic->id, design->id, characteristic->id);
    else
        (void)fprintf(stream, "    static const uint8_t zeros[%u];\n    ys_put_bytes(value, zeros, sizeof zeros);\n",
                      (unsigned)characteristic->type.length);
    (void)fputs("    return YS_ATT_OK;\n}\n", stream);
}

static void put_write_skeleton(FILE *stream, const struct ys_design *design,
                               const struct ys_characteristic *characteristic)
{
    (void)fprintf(stream,
                  "\n/* %s is written: take its value, or refuse it, such as with YS_ATT_OUT_OF_RANGE. */\nuint8_t "
                  "%s_%s_write(const struct ys_access *access, struct ys_reader *value)\n{\n    (void)access;\n",
                  characteristic->name, design->id, characteristic->id);
    if (characteristic->type.format->kind == YS_FORMAT_STRUCT)
        (void)fprintf(stream,
                      "    struct %s_%s wanted;\n    if (!%s_%s_get(value, &wanted))\n        return "
                      "YS_ATT_INVALID_VALUE_LENGTH;\n",
                      design->id, characteristic->id, design->id, characteristic->id);
    else
        (void)fputs("    (void)value;\n", stream);
    (void)fputs("    return YS_ATT_OK;\n}\n", stream);
}

void ys_generate_skeleton(FILE *stream, const struct ys_design *design, const struct ys_layout *layout)
{
    (void)fprintf(stream,
                  "/* The handlers of %s. Yours from now on: yarnswift does not write this file again. */\n#include "
                  "\"%s_table.h\"\n",
                  design->name, design->id);
    for (size_t i = 0; i < layout->count; i++) {
        const struct ys_characteristic *characteristic = layout->rows[i].characteristic;
        if (layout->rows[i].kind != YS_ATTRIBUTE_VALUE)
            continue;
        if (characteristic->read_handler)
            put_read_skeleton(stream, design, characteristic);
        if (characteristic->write_handler)
            put_write_skeleton(stream, design, characteristic);
    }
}
