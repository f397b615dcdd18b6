/* Makes the tables of the catalogue at build time: main CATALOGUE.yaml OUTPUT.c. It is written in YAML, which takes
 * longer to read than most commands take for all the rest. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "adopted/read.h"
#include "design/model/model.h"

static void put_text(FILE *out, const char *text)
{
    if (text == NULL) {
        (void)fputs("NULL", out);
        return;
    }
    (void)fputc('"', out);
    for (; *text != '\0'; text++) {
        unsigned char byte = (unsigned char)*text;
        if (byte < 0x20 || byte >= 0x7f || byte == '"' || byte == '\\' || byte == '?')
            (void)fprintf(out, "\\%03o", byte);
        else
            (void)fputc(byte, out);
    }
    (void)fputc('"', out);
}

static size_t unit_index(const struct ys_unit *unit)
{
    size_t count;
    const struct ys_adopted *units = adopted_of(YS_ADOPTED_UNIT, &count);
    size_t index = 0;
    while (index < count && strcmp(units[index].name, unit->name) != 0)
        index++;
    return index;
}

static void put_field(FILE *out, const struct ys_field *field)
{
    (void)fputs("{.name = ", out);
    put_text(out, field->name);
    (void)fputs(", .id = ", out);
    put_text(out, field->id);
    if (field->format != NULL)
        (void)fprintf(out, ", .format = &ys_formats[%td]", field->format - ys_formats);
    if (field->unit != NULL)
        (void)fprintf(out, ", .unit = &ys_catalogue_units[%zu]", unit_index(field->unit));
    (void)fprintf(out, ", .multiplier = %lld, .exponent = %d, .halvings = %d, .has_resolution = %d",
                  (long long)field->multiplier, field->exponent, field->halvings, field->has_resolution);
    (void)fprintf(out, ", .length = {.number = %llu, .given = %d}, .order = %d, .most = {.number = %llu}",
                  (unsigned long long)field->length.number, field->length.given, field->order,
                  (unsigned long long)field->most.number);
    if (field->bit_count > 0) {
        (void)fprintf(out, ", .bit_count = %zu, .bits = (char *[]){", field->bit_count);
        for (size_t i = 0; i < field->bit_count; i++) {
            put_text(out, field->bits[i]);
            (void)fputc(',', out);
        }
        (void)fputc('}', out);
    }
    if (field->name_count > 0) {
        (void)fprintf(out, ", .name_count = %zu, .names = (struct ys_named_number[]){", field->name_count);
        for (size_t i = 0; i < field->name_count; i++) {
            (void)fputc('{', out);
            put_text(out, field->names[i].name);
            (void)fprintf(out, ", %llu},", (unsigned long long)field->names[i].number);
        }
        (void)fputc('}', out);
    }
    if (field->field_count > 0) {
        (void)fprintf(out, ", .field_count = %zu, .fields = (struct ys_field[]){", field->field_count);
        for (size_t i = 0; i < field->field_count; i++) {
            put_field(out, &field->fields[i]);
            (void)fputs(",\n", out);
        }
        (void)fputc('}', out);
    }
    (void)fprintf(out, ", .depends = %d, .when = {.text = ", field->depends);
    put_text(out, field->when.text);
    (void)fputs("}, .unless = {.text = ", out);
    put_text(out, field->unless.text);
    (void)fputs("}}", out);
}

static void put_parts(FILE *out, const struct ys_adopted *adopted)
{
    (void)fprintf(out, ", .part_count = %zu, .parts = (struct ys_has[]){", adopted->part_count);
    for (size_t i = 0; i < adopted->part_count; i++) {
        const struct ys_has *part = &adopted->parts[i];
        (void)fputc('{', out);
        put_text(out, part->name);
        (void)fprintf(out, ", %d, %d, %u, %u},", part->mandatory, part->knows, part->must, part->may);
    }
    (void)fputc('}', out);
}

static void put_adopted(FILE *out, const struct ys_adopted *adopted)
{
    (void)fprintf(out, "    {.kind = %d, .number = 0x%04x, .name = ", adopted->kind, adopted->number);
    put_text(out, adopted->name);
    (void)fputs(", .about = ", out);
    put_text(out, adopted->about);
    (void)fputs(", .symbol = ", out);
    put_text(out, adopted->symbol);
    (void)fputs(", .range = {", out);
    put_text(out, adopted->range[0]);
    (void)fputs(", ", out);
    put_text(out, adopted->range[1]);
    (void)fputc('}', out);
    if (adopted->part_count > 0)
        put_parts(out, adopted);
    if (adopted->type != NULL) {
        (void)fputs(", .type = &(struct ys_field)", out);
        put_field(out, adopted->type);
    }
    (void)fputs("},\n", out);
}

static void put_all(FILE *out)
{
    size_t count;
    const struct ys_adopted *units = adopted_of(YS_ADOPTED_UNIT, &count);
    (void)fputs("/* Made of catalogue.yaml. */\n#include \"design/model/model.h\"\n"
                "#include \"design/reading/catalogue.h\"\n\nconst struct ys_unit ys_catalogue_units[] = {\n",
                out);
    for (size_t i = 0; i < count; i++) {
        (void)fputs("    {", out);
        put_text(out, units[i].name);
        (void)fputs(", ", out);
        put_text(out, units[i].symbol);
        (void)fprintf(out, ", 0x%04x},\n", units[i].number);
    }
    (void)fputs("    {NULL, NULL, 0},\n};\n", out);
    for (int kind = 0; kind < YS_ADOPTED_KINDS; kind++) {
        const struct ys_adopted *items = adopted_of((enum ys_adopted_kind)kind, &count);
        (void)fprintf(out, "\nstatic const struct ys_adopted kind_%d[] = {\n", kind);
        for (size_t i = 0; i < count; i++)
            put_adopted(out, &items[i]);
        (void)fputs("};\n", out);
    }
    (void)fputs("\nconst struct ys_catalogue_section ys_catalogue[] = {\n", out);
    for (int kind = 0; kind < YS_ADOPTED_KINDS; kind++) {
        (void)adopted_of((enum ys_adopted_kind)kind, &count);
        (void)fprintf(out, "    {kind_%d, %zu},\n", kind, count);
    }
    (void)fputs("};\n", out);
}

int main(int argc, char **argv)
{
    static char text[1 << 20];
    FILE *in = argc == 3 ? fopen(argv[1], "rb") : NULL;
    size_t length = in != NULL ? fread(text, 1, sizeof text, in) : 0;
    if (length == 0 || length == sizeof text || !adopted_read(text, length)) {
        (void)fprintf(stderr, "the catalogue cannot be read\n");
        return EXIT_FAILURE;
    }
    (void)fclose(in);
    FILE *out = fopen(argv[2], "w");
    if (out == NULL)
        return EXIT_FAILURE;
    put_all(out);
    return fclose(out) == 0 ? EXIT_SUCCESS : EXIT_FAILURE;
}
