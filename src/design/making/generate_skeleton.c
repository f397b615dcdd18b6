/* A first version of the handlers, to begin with. */
#include <stdlib.h>

#include "design/making/c_text.h"
#include "design/making/generate.h"
#include "design/making/generate_values.h"
#include "design/making/naming.h"

struct skeleton {
    FILE *stream;
    const struct ys_design *design;
    const struct ys_layout *layout;
};

static void put_comment(const struct skeleton *skeleton, const char *name, const char *rest)
{
    (void)fputs("\n/* ", skeleton->stream);
    ys_c_put_comment(skeleton->stream, name);
    (void)fputs(rest, skeleton->stream);
}

/* Puts the value that it has now. */
static void put_reading(const struct skeleton *skeleton, const struct ys_characteristic *one, const char *indent)
{
    FILE *stream = skeleton->stream;
    const char *device = skeleton->design->id;
    const struct ys_field *type = &one->type;
    if (type->format->kind == YS_FORMAT_STRUCT) {
        (void)fprintf(stream, "%sconst struct %s_%s now = {0};\n%s%s_%s_put(value, &now);\n", indent, device, one->id,
                      indent, device, one->id);
    } else if (ys_value_is_scalar(type)) {
        bool medfloat = type->format->kind == YS_FORMAT_MEDFLOAT;
        bool boolean = type->format->kind == YS_FORMAT_BOOLEAN;
        (void)fprintf(stream, "%s%s now = %s;", indent, ys_value_c_type(type),
                      medfloat  ? "{0}"
                      : boolean ? "false"
                                : "0");
        ys_value_put_unit(stream, type);
        (void)fprintf(stream, "\n%s%s_%s_put(value, now);\n", indent, device, one->id);
    } else if (type->format->kind == YS_FORMAT_TEXT && !type->fixed) {
        (void)fprintf(stream, "%sconst char *now = \"\"; /* up to %u bytes of UTF-8 */\n%sys_put_text(value, now);\n",
                      indent, (unsigned)type->length.number, indent);
    } else {
        (void)fprintf(stream, "%sstatic const uint8_t now[%u];\n%sys_put_bytes(value, now, sizeof now);\n", indent,
                      (unsigned)type->length.number, indent);
    }
}

/* Takes what is written. */
static void put_writing(const struct skeleton *skeleton, const struct ys_characteristic *one, const char *indent)
{
    FILE *stream = skeleton->stream;
    const char *device = skeleton->design->id;
    const struct ys_field *type = &one->type;
    unsigned length = (unsigned)type->length.number;
    if (ys_value_has_functions(type)) {
        if (type->format->kind == YS_FORMAT_STRUCT)
            (void)fprintf(stream, "%sstruct %s_%s wanted;", indent, device, one->id);
        else
            (void)fprintf(stream, "%s%s wanted;", indent, ys_value_c_type(type));
        ys_value_put_unit(stream, type);
        (void)fprintf(stream, "\n%sif (!%s_%s_get(value, &wanted))\n%s    return YS_ATT_INVALID_VALUE_LENGTH;\n",
                      indent, device, one->id, indent);
    } else {
        bool text = type->format->kind == YS_FORMAT_TEXT;
        (void)fprintf(stream,
                      "%s%s wanted[%u]; /* up to %u bytes%s */\n%ssize_t length = ys_reader_left(value);\n%sif (length "
                      "> %u)\n%s    return YS_ATT_INVALID_VALUE_LENGTH;\n%sys_get_copy(value, wanted, length);\n",
                      indent, text ? "char" : "uint8_t", length + text, length, text ? ", and a terminating zero" : "",
                      indent, indent, length, indent, indent);
        if (text)
            (void)fprintf(stream, "%swanted[length] = '\\0';\n", indent);
    }
    if (one->any_value && ys_range_limits(one))
        ys_generate_range_check(stream, device, one, indent);
}

/* A handler: of one characteristic, or of all that share it. */
static void put_handler(const struct skeleton *skeleton, size_t index, bool write)
{
    FILE *stream = skeleton->stream;
    const char *device = skeleton->design->id;
    const struct ys_layout *layout = skeleton->layout;
    if (!ys_handler_is_first(layout, index, write))
        return;
    const struct ys_characteristic *first = layout->rows[index].characteristic;
    bool shared = first->handler_id != NULL;
    put_comment(skeleton, shared ? first->handler_name : first->name,
                write ? " is written: take its value, or refuse it with an error of the attribute protocol. */\n"
                      : " is read, or its notification is due: put its value. */\n");
    (void)fprintf(stream, "uint8_t %s_%s_%s(const struct ys_access *access, struct ys_%s *value)\n{\n", device,
                  ys_handler_id(first), write ? "write" : "read", write ? "reader" : "writer");
    if (!shared) {
        (void)fputs("    (void)access;\n", stream);
        (write ? put_writing : put_reading)(skeleton, first, "    ");
        (void)fputs("    return YS_ATT_OK;\n}\n", stream);
        return;
    }
    (void)fputs("    switch (access->handle) {\n", stream);
    for (size_t i = index; i < layout->count; i++) {
        const struct ys_characteristic *one = layout->rows[i].characteristic;
        if (!ys_handler_is_shared(layout, index, i, write))
            continue;
        char *name = ys_new_upper("%s_%s", device, one->id);
        (void)fprintf(stream, "    case %s: {\n", name);
        (write ? put_writing : put_reading)(skeleton, one, "        ");
        (void)fputs("        break;\n    }\n", stream);
        free(name);
    }
    (void)fputs("    default:\n        break;\n    }\n    return YS_ATT_OK;\n}\n", stream);
}

void ys_generate_skeleton(FILE *stream, const struct ys_design *design, const struct ys_layout *layout)
{
    const struct skeleton skeleton = {stream, design, layout};
    (void)fputs("/* The handlers of ", stream);
    ys_c_put_comment(stream, design->name.text);
    (void)fprintf(stream,
                  ". Yours from now on: yarnswift does not write this file again. */\n#include \"%s_table.h\"\n",
                  design->id);
    for (size_t i = 0; i < layout->count; i++) {
        put_handler(&skeleton, i, false);
        put_handler(&skeleton, i, true);
    }
    if (layout->asks)
        (void)fprintf(
            stream,
            "\n/* An access needs consent: decide, or return YS_LATER and call ys_answer with access->token. "
            "*/\nuint8_t "
            "%s_consent(const "
            "struct ys_access *access, enum ys_access_kind wish)\n{\n    (void)access;\n    (void)wish;\n    return "
            "YS_ATT_INSUFFICIENT_AUTHORIZATION;\n}\n",
            design->id);
}
