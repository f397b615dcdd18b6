/* Generated C for what is advertised. */
#include "design/making/generate_advertising.h"

#include <stdlib.h>
#include <string.h>

#include "design/making/c_text.h"
#include "design/making/generate_values.h"
#include "design/making/naming.h"
#include "design/making/payload.h"
#include "design/model/memory.h"
#include "design/model/value.h"

static const struct ys_parts *parts_of(const struct ys_advertisement *set, bool response)
{
    return response ? &set->response : &set->data;
}

/* values */

/* What the value of a part lies after: a company, or the UUID of a service. */
struct head {
    uint8_t type; /* enum ys_ad_type */
    size_t length;
    uint8_t bytes[16];
};

static struct head head_of(const struct ys_part *part)
{
    struct head head;
    struct ys_writer writer = ys_writer_to(head.bytes, sizeof head.bytes);
    head.type = ys_payload_put_head(part, &writer);
    head.length = ys_writer_stored(&writer);
    return head;
}

static void put_type(FILE *stream, const struct ys_design *design, const char *id, const struct ys_part *part)
{
    if (ys_value_is_scalar(&part->type))
        (void)fprintf(stream, "%s ", ys_value_c_type(&part->type));
    else
        (void)fprintf(stream, "struct %s_%s *", design->id, id);
}

static void put_finder(FILE *stream, const struct ys_design *design, const char *id, const struct ys_part *part)
{
    const struct head head = head_of(part);
    (void)fprintf(stream,
                  "/* Finds it in an advertisement that was heard; false if it is not there, or not as it must be. "
                  "*/\nstatic inline bool %s_%s_find(const uint8_t *data, size_t length, ",
                  design->id, id);
    put_type(stream, design, id, part);
    (void)fprintf(stream, "%svalue)\n{\n", ys_value_is_scalar(&part->type) ? "*" : "");
    if (head.length > 0)
        ys_c_put_bytes(stream, "    ", "head", head.bytes, head.length);
    (void)fprintf(stream,
                  "    struct ys_reader reader = ys_reader_of(data, length);\n    struct ys_ad ad;\n"
                  "    while (ys_get_ad(&reader, &ad)) {\n        if (ad.type != 0x%02x",
                  head.type);
    if (head.length > 0)
        (void)fputs(" || ad.length < sizeof head || memcmp(ad.data, head, sizeof head) != 0", stream);
    (void)fprintf(stream,
                  ")\n            continue;\n        struct ys_reader rest = ys_reader_of(ad.data + %zu, "
                  "(size_t)ad.length - %zu);\n        if (%s_%s_get(&rest, value))\n            return true;\n    "
                  "}\n    return false;\n}\n\n",
                  head.length, head.length, design->id, id);
}

static void put_part_values(FILE *stream, const struct ys_design *design, const struct ys_advertisement *set,
                            const struct ys_part *part)
{
    char *id = ys_layout_id(set, part);
    if (id == NULL)
        return;
    char name[40];
    ys_part_name(set, part, name);
    for (char *letter = strchr(name, '_'); letter != NULL; letter = strchr(letter, '_'))
        *letter = ' ';
    char *text = ys_new_text("%s, of %s%s", name, set->name != NULL ? "the advertisement " : "the advertisement",
                             set->name != NULL ? set->name : "");
    const struct ys_typed typed = {design->id, id, text, &part->type};
    ys_generate_value(stream, &typed);
    put_finder(stream, design, id, part);
    free(text);
    free(id);
}

static size_t greatest_length(const struct ys_design *design, const struct ys_advertisement *set,
                              const struct ys_part *part)
{
    struct ys_writer writer = ys_writer_to(NULL, 0);
    if (ys_layout_is(part))
        return 2 + head_of(part).length + ys_value_greatest(&part->type);
    ys_payload_put_part(design, set, part, &writer);
    return ys_writer_length(&writer);
}

static void put_part_put(FILE *stream, const struct ys_design *design, const struct ys_advertisement *set,
                         const struct ys_part *part)
{
    char *id = ys_layout_id(set, part);
    uint8_t bytes[256];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    char name[40];
    if (id == NULL) {
        ys_payload_put_part(design, set, part, &writer);
        if (ys_writer_stored(&writer) > 0) {
            (void)fputs("    {\n", stream);
            ys_c_put_bytes(stream, "        ", "constant", bytes, ys_writer_stored(&writer));
            (void)fputs("        ys_put_bytes(writer, constant, sizeof constant);\n    }\n", stream);
        }
        return;
    }
    const struct head head = head_of(part);
    ys_part_name(set, part, name);
    (void)fprintf(stream,
                  "    {\n        uint8_t bytes[%zu];\n        struct ys_writer part = ys_writer_to(bytes, sizeof "
                  "bytes);\n",
                  head.length + ys_value_greatest(&part->type));
    for (size_t i = 0; i < head.length; i++)
        (void)fprintf(stream, "        ys_put_u8(&part, 0x%02x);\n", head.bytes[i]);
    (void)fprintf(stream,
                  "        %s_%s_put(&part, %s);\n        ys_put_ad(writer, 0x%02x, bytes, "
                  "ys_writer_stored(&part));\n    }\n",
                  design->id, id, name, head.type);
    free(id);
}

static void put_payload(FILE *stream, const struct ys_design *design, const struct ys_advertisement *set, bool response)
{
    const struct ys_parts *parts = parts_of(set, response);
    char *id = ys_payload_id(set, response);
    size_t size = 0;
    if (id == NULL)
        return;
    for (size_t i = 0; i < parts->count; i++)
        size += greatest_length(design, set, &parts->items[i]);
    char *whole = ys_new_text("%s_%s", design->id, id);
    char *prefix = ys_c_upper(whole);
    (void)fprintf(stream,
                  "/* Puts a whole %s with these values, for ys_advertise_payload; and how many bytes it has at most. "
                  "*/\n#define %s_SIZE %zu\nstatic inline void %s_put(struct ys_writer *writer",
                  response ? "scan response" : "advertisement", prefix, size, whole);
    for (size_t i = 0; i < parts->count; i++) {
        char *layout = ys_layout_id(set, &parts->items[i]);
        char name[40];
        if (layout == NULL)
            continue;
        ys_part_name(set, &parts->items[i], name);
        (void)fputs(ys_value_is_scalar(&parts->items[i].type) ? ", " : ", const ", stream);
        put_type(stream, design, layout, &parts->items[i]);
        (void)fputs(name, stream);
        free(layout);
    }
    (void)fputs(")\n{\n", stream);
    for (size_t i = 0; i < parts->count; i++)
        put_part_put(stream, design, set, &parts->items[i]);
    (void)fputs("}\n\n", stream);
    free(prefix);
    free(whole);
    free(id);
}

void ys_generate_payload_values(FILE *stream, const struct ys_design *design, const struct ys_advertisement *set)
{
    for (int response = 0; response < 2; response++) {
        const struct ys_parts *parts = parts_of(set, response != 0);
        for (size_t i = 0; i < parts->count; i++)
            put_part_values(stream, design, set, &parts->items[i]);
        put_payload(stream, design, set, response != 0);
    }
}

/* settings */

void ys_generate_advertising_header(FILE *stream, const struct ys_design *design, const struct ys_advertisement *set)
{
    (void)fprintf(stream, "extern const struct ys_advertising %s%s%s_advertising;\n", design->id,
                  set->id != NULL ? "_" : "", set->id != NULL ? set->id : "");
}

static const char *yes(bool value)
{
    return value ? "true" : "false";
}

static void put_options(FILE *stream, const char *name, const struct ys_set_options *options)
{
    static const char *const phys[] = {[YS_1M] = "YS_1M", [YS_2M] = "YS_2M", [YS_CODED] = "YS_CODED"};
    (void)fprintf(stream, "\nstatic const struct ys_set_options %s = {\n", name);
    (void)fprintf(stream,
                  "    /* extended */ %s, /* anonymous */ %s, /* include power */ %s, /* report scan requests */ %s,\n",
                  yes(options->extended), yes(options->anonymous), yes(options->include_power),
                  yes(options->report_scan_requests));
    (void)fprintf(stream,
                  "    /* power */ %s, %d, /* primary PHY */ %s, /* PHY */ %s, /* SID */ %u, /* events */ %u};\n",
                  yes(options->has_power), options->power_dbm, phys[options->primary_phy], phys[options->phy],
                  options->set_id, options->events);
}

void ys_generate_advertising_source(FILE *stream, const struct ys_design *design, const struct ys_advertisement *set)
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
    ys_c_put_bytes(stream, "", data, payload.data, payload.data_length);
    ys_c_put_bytes(stream, "", response, payload.response, payload.response_length);
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

void ys_generate_scanning_source(FILE *stream, const struct ys_design *design)
{
    static const char *const phys[] = {"0", "YS_1M", "YS_CODED", "YS_1M | YS_CODED"};
    const struct ys_device_scanning *scanning = &design->scanning;
    bool service = scanning->service.length > 0;
    if (!scanning->given)
        return;
    (void)fputc('\n', stream);
    if (service) {
        (void)fprintf(stream, "static const struct ys_uuid wanted_service = {%u, {",
                      (unsigned)scanning->service.length);
        for (size_t i = 0; i < scanning->service.length; i++)
            (void)fprintf(stream, "%s0x%02x", i > 0 ? ", " : "", scanning->service.bytes[i]);
        (void)fputs("}};\n", stream);
    }
    (void)fputs("static const struct ys_report_filter wanted = {\n    /* name */ ", stream);
    if (scanning->name.text != NULL)
        ys_c_put_string(stream, scanning->name.text);
    else
        (void)fputs("NULL", stream);
    (void)fprintf(stream, ", /* service */ %s, /* company */ %s, 0x%04x, /* strength */ %s, %d};\n",
                  service ? "&wanted_service" : "NULL", yes(scanning->company.given),
                  (unsigned)scanning->company.number, yes(scanning->least_text.text != NULL), scanning->least_dbm);
    (void)fprintf(stream,
                  "const struct ys_scanning %s_scanning = {\n    /* interval, window */ %lu, %lu, /* active */ %s, /* "
                  "once */ false, /* listed */ false, %s, &wanted};\n",
                  design->id, (unsigned long)scanning->interval_us.number, (unsigned long)scanning->window_us.number,
                  yes(scanning->active), phys[scanning->phy]);
}
