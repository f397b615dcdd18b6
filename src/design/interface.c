/* The interface of a device in Markdown. */
#include "design/interface.h"

#include <math.h>

#include "design/value.h"

static void print_access(FILE *stream, const struct ys_characteristic *characteristic)
{
    static const char *const needs[] = {"", "", " (encrypted)", " (authenticated)"};
    const struct {
        const char *name;
        enum ys_right right;
    } ways[] = {{"read", characteristic->read},
                {"write", characteristic->write},
                {"write without response", characteristic->write_command},
                {"notify", characteristic->notify}};
    const char *between = "";
    for (size_t i = 0; i < sizeof ways / sizeof ways[0]; i++) {
        if (ways[i].right == YS_RIGHT_NONE)
            continue;
        (void)fprintf(stream, "%s%s%s", between, ways[i].name, needs[ways[i].right]);
        between = ", ";
    }
}

static void print_meaning(FILE *stream, const struct ys_field *field)
{
    if (field->halvings > 0)
        (void)fprintf(stream, "x 1/%ld ", 1L << field->halvings);
    else if (field->has_resolution)
        (void)fprintf(stream, "x %g ", (double)field->multiplier * pow(10, field->exponent));
    if (field->unit != NULL)
        (void)fputs(field->unit->symbol, stream);
    for (size_t bit = 0; bit < field->bit_count; bit++)
        (void)fprintf(stream, "%sbit %zu: %s", bit > 0 ? ", " : "", bit, field->bits[bit]);
}

static void print_field(FILE *stream, const struct ys_field *field, const char *name)
{
    size_t each = field->most > 0 ? ys_value_greatest(field) / (size_t)field->most : ys_value_greatest(field);
    (void)fprintf(stream, "| %s | %s | ", name, field->format->name);
    if (field->most > 0)
        (void)fprintf(stream, "%zu each, up to %llu", each, (unsigned long long)field->most);
    else if (field->format->kind == YS_FORMAT_TEXT)
        (void)fprintf(stream, "up to %zu", each);
    else
        (void)fprintf(stream, "%zu", each);
    (void)fputs(" | ", stream);
    print_meaning(stream, field);
    if (field->depends_text != NULL)
        (void)fprintf(stream, "; only %s %s", field->unless ? "unless" : "when", field->depends_text);
    (void)fputs(" |\n", stream);
}

static void print_characteristic(FILE *stream, const struct ys_characteristic *characteristic)
{
    const struct ys_field *type = &characteristic->type;
    char uuid[YS_UUID_TEXT_SIZE];
    (void)fprintf(stream, "\n### %s\n\n`%s`: ", characteristic->name, ys_uuid_format(&characteristic->uuid, uuid));
    print_access(stream, characteristic);
    (void)fputs(".", stream);
    if (characteristic->description != NULL)
        (void)fprintf(stream, " %s.", characteristic->description);
    if (characteristic->spacing_us > 0)
        (void)fprintf(stream, " At most one notification every %g ms.", (double)characteristic->spacing_us / 1000);
    (void)fputs("\n\n| field | format | bytes | meaning |\n|---|---|---|---|\n", stream);
    if (type->field_count == 0)
        print_field(stream, type, "value");
    for (size_t i = 0; i < type->field_count; i++)
        print_field(stream, &type->fields[i], type->fields[i].name);
}

void ys_interface_print(FILE *stream, const struct ys_design *design)
{
    char uuid[YS_UUID_TEXT_SIZE];
    (void)fprintf(stream,
                  "# %s\n\nWhat the device offers over Bluetooth Low Energy. Numbers are sent with their least "
                  "significant byte first.\n",
                  design->name);
    if (design->promise_count > 0)
        (void)fputs("It advertises these services:", stream);
    for (size_t i = 0; i < design->promise_count; i++)
        (void)fprintf(stream, "%s %s", i > 0 ? "," : "", design->promises[i].name);
    (void)fputs(design->promise_count > 0 ? ".\n" : "", stream);
    for (size_t i = 0; i < design->service_count; i++) {
        const struct ys_service *service = &design->services[i];
        if (service->implied)
            continue;
        (void)fprintf(stream, "\n## %s\n\n%s service `%s`.\n", service->name,
                      service->secondary ? "Secondary" : "Primary", ys_uuid_format(&service->uuid, uuid));
        for (size_t j = 0; j < service->characteristic_count; j++)
            print_characteristic(stream, &service->characteristics[j]);
    }
}
