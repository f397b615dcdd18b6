/* Generated C for the other side. */
#include "design/making/generate_client.h"

#include <stdlib.h>

#include "design/making/c_text.h"
#include "design/making/generate.h"
#include "design/making/naming.h"

/* The next row that is an item of the plan, from `index` on; layout->count at the end. */
static size_t next_item(const struct ys_layout *layout, size_t index)
{
    while (index < layout->count && !ys_row_is_item(&layout->rows[index]))
        index++;
    return index;
}

size_t ys_client_items(const struct ys_layout *layout)
{
    size_t count = 0;
    for (size_t i = next_item(layout, 0); i < layout->count; i = next_item(layout, i + 1))
        count++;
    return count;
}

void ys_generate_client_header(FILE *stream, const struct ys_design *design, const struct ys_layout *layout)
{
    char *prefix = ys_c_upper(design->id);
    size_t count = ys_client_items(layout);
    (void)fprintf(stream,
                  YS_GENERATED_MARK "\n#ifndef %s_CLIENT_H\n#define %s_CLIENT_H\n\n#include <stdbool.h>\n#include "
                                    "<stdint.h>\n#include <string.h>\n\n#include <yarnswift/medfloat.h>\n#include "
                                    "<yarnswift/remote.h>\n\n#ifdef __cplusplus\nextern \"C\" {\n#endif\n\n",
                  prefix, prefix);
    if (count > 0)
        (void)fputs("/* The characteristics, as functions of yarnswift/remote.h number them. */\nenum {\n", stream);
    for (size_t i = next_item(layout, 0), number = 0; i < layout->count; i = next_item(layout, i + 1), number++) {
        char *name = ys_c_upper(layout->rows[i].characteristic->id);
        (void)fprintf(stream, "    %s_CLIENT_%s = %zu%s\n", prefix, name, number, number + 1 < count ? "," : "");
        free(name);
    }
    if (count > 0)
        (void)fputs("};\n\n", stream);
    (void)fprintf(
        stream,
        "/* The number of struct ys_remote_place that a remote of this kind needs, and its description. */\n#define "
        "%s_CLIENT_PLACES %zu\nextern const struct ys_remote_plan %s_client;\n\n",
        prefix, count, design->id);
    ys_generate_values(stream, design, layout);
    (void)fputs("#ifdef __cplusplus\n}\n#endif\n\n#endif\n", stream);
    free(prefix);
}

static void put_uuid(FILE *stream, const struct ys_uuid *uuid)
{
    (void)fprintf(stream, "{%u, {", (unsigned)uuid->length);
    for (size_t i = 0; i < uuid->length; i++)
        (void)fprintf(stream, "%s0x%02x", i > 0 ? ", " : "", uuid->bytes[i]);
    (void)fputs("}}", stream);
}

/* The first service that a connectable advertisement promises; NULL if none does. */
static const struct ys_service *promised(const struct ys_design *design)
{
    for (size_t i = 0; i < design->set_count; i++) {
        const struct ys_advertisement *set = &design->sets[i];
        bool connectable = set->kind == 0 || set->kind == YS_ADVERTISE_CONNECTABLE + 1;
        if (connectable && set->promise_count > 0 && set->promises[0].service != NULL)
            return set->promises[0].service;
    }
    return NULL;
}

void ys_generate_client_source(FILE *stream, const struct ys_design *design, const struct ys_layout *layout)
{
    const struct ys_service *service = promised(design);
    size_t count = ys_client_items(layout);
    (void)fprintf(stream, YS_GENERATED_MARK "\n#include \"%s_client.h\"\n\n", design->id);
    if (count > 0)
        (void)fputs("static const struct ys_remote_item items[] = {\n", stream);
    for (size_t i = next_item(layout, 0); i < layout->count; i = next_item(layout, i + 1)) {
        const struct ys_row *row = &layout->rows[i];
        (void)fputs("    /* ", stream);
        ys_c_put_comment(stream, row->characteristic->name);
        (void)fputs(" */\n    {", stream);
        put_uuid(stream, &row->service->uuid);
        (void)fputs(",\n     ", stream);
        put_uuid(stream, &row->uuid);
        (void)fputs("},\n", stream);
    }
    if (count > 0)
        (void)fputs("};\n\n", stream);
    if (service != NULL) {
        (void)fputs("/* It is found by this service. */\nstatic const struct ys_uuid service = ", stream);
        put_uuid(stream, &service->uuid);
        (void)fputs(";\nstatic const struct ys_report_filter filter = {NULL, &service, false, 0, false, 0};\n\n",
                    stream);
    } else {
        (void)fputs("/* It advertises no service: it is found by its name. */\nstatic const struct ys_report_filter "
                    "filter = {",
                    stream);
        ys_c_put_string(stream, design->name.text);
        (void)fputs(", NULL, false, 0, false, 0};\n\n", stream);
    }
    (void)fprintf(stream, "const struct ys_remote_plan %s_client = {%s, &filter, %zu};\n", design->id,
                  count > 0 ? "items" : "NULL", count);
}
