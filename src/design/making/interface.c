/* The interface of a device in Markdown. */
#include "design/making/interface.h"

#include "design/making/link.h"

#include <math.h>
#include <stdlib.h>
#include <string.h>

#include "design/making/payload.h"
#include "design/making/scanning.h"
#include "design/model/value.h"
#include "design/model/value_parse.h"

/* Puts a text as text, whatever signs are in it: the only way in for what was not written here. */
static void put_text(FILE *stream, const char *text)
{
    for (; *text != '\0'; text++) {
        if (*text == '<')
            (void)fputs("&lt;", stream);
        else if (*text == '&')
            (void)fputs("&amp;", stream);
        else
            (void)fprintf(stream, "%s%c", strchr("\\`*_[]>|#!~$", *text) != NULL ? "\\" : "", *text);
    }
}

static void print_access(FILE *stream, const struct ys_characteristic *characteristic)
{
    const char *between = "";
    for (int way = 0; way < YS_WAYS; way++) {
        const struct ys_offer *offer = &characteristic->ways[way];
        if (offer->right == YS_RIGHT_NONE)
            continue;
        (void)fprintf(stream, "%s%s", between, ys_ways[way].name);
        if (offer->right > YS_RIGHT_OPEN)
            (void)fprintf(stream, " (%s)", ys_right_word(offer->right));
        if (offer->asks)
            (void)fputs(" (with consent at the device)", stream);
        between = ", ";
    }
    if (characteristic->broadcasts)
        (void)fprintf(stream, "%sbroadcast", between);
}

/* The least and the greatest valid value, in words. */
static void print_range(FILE *stream, const struct ys_characteristic *characteristic)
{
    char text[2][64];
    for (size_t i = 0; i < 2; i++) {
        uint8_t bytes[8];
        size_t length = ys_value_encode(&characteristic->type, characteristic->range[i], bytes);
        ys_value_format(&characteristic->type, bytes, length, text[i], sizeof text[i]);
    }
    (void)fprintf(stream, " Valid from %s to %s.", text[0], text[1]);
}

static void print_meaning(FILE *stream, const struct ys_field *field)
{
    if (field->halvings > 0)
        (void)fprintf(stream, "x 1/%ld", 1L << field->halvings);
    else if (field->has_resolution)
        (void)fprintf(stream, "x %g", (double)field->multiplier * pow(10, field->exponent));
    if (field->unit != NULL)
        (void)fprintf(stream, "%s%s", field->halvings > 0 || field->has_resolution ? " " : "", field->unit->symbol);
    for (size_t bit = 0; bit < field->bit_count; bit++) {
        (void)fprintf(stream, "%sbit %zu: ", bit > 0 ? ", " : "", bit);
        put_text(stream, field->bits[bit]);
    }
    for (size_t i = 0; i < field->name_count; i++) {
        (void)fprintf(stream, "%s%llu: ", i > 0 ? ", " : "", (unsigned long long)field->names[i].number);
        put_text(stream, field->names[i].name);
    }
}

static bool has_meaning(const struct ys_field *field)
{
    return field->has_resolution || field->unit != NULL || field->bit_count > 0 || field->name_count > 0;
}

static void print_field(FILE *stream, const struct ys_field *field, const char *name)
{
    size_t each =
        field->most.number > 0 ? ys_value_greatest(field) / (size_t)field->most.number : ys_value_greatest(field);
    (void)fputs("| ", stream);
    put_text(stream, name);
    (void)fprintf(stream, " | %s | ", field->format->name);
    if (field->most.number > 0)
        (void)fprintf(stream, "%zu each, up to %llu", each, (unsigned long long)field->most.number);
    else if (field->format->kind == YS_FORMAT_TEXT || field->format->kind == YS_FORMAT_UTF16)
        (void)fprintf(stream, "up to %zu", each);
    else
        (void)fprintf(stream, "%zu", each);
    (void)fputs(" | ", stream);
    print_meaning(stream, field);
    const char *separator = has_meaning(field) ? "; " : "";
    if (field->order == YS_MOST_FIRST + 1) {
        (void)fprintf(stream, "%sthe most significant byte first", separator);
        separator = "; ";
    }
    if (field->depends) {
        (void)fprintf(stream, "%sonly %s ", separator, field->when.text != NULL ? "when" : "unless");
        put_text(stream, field->when.text != NULL ? field->when.text : field->unless.text);
    }
    (void)fputs(" |\n", stream);
}

static void print_fields(FILE *stream, const struct ys_field *type)
{
    (void)fputs("\n\n| field | format | bytes | meaning |\n|---|---|---|---|\n", stream);
    if (type->field_count == 0)
        print_field(stream, type, "value");
    for (size_t i = 0; i < type->field_count; i++)
        print_field(stream, &type->fields[i], type->fields[i].name);
}

static void print_characteristic(FILE *stream, const struct ys_characteristic *characteristic)
{
    const struct ys_field *type = &characteristic->type;
    char uuid[YS_UUID_TEXT_SIZE];
    (void)fputs("\n### ", stream);
    put_text(stream, characteristic->name);
    (void)fprintf(stream, "\n\n`%s`: ", ys_uuid_format(&characteristic->uuid, uuid));
    print_access(stream, characteristic);
    (void)fputs(".", stream);
    if (characteristic->description.text != NULL) {
        (void)fputc(' ', stream);
        put_text(stream, characteristic->description.text);
        (void)fputc('.', stream);
    }
    if (characteristic->has_range)
        print_range(stream, characteristic);
    if (characteristic->spacing_us.number > 0)
        (void)fprintf(stream, " At most one notification every %g ms.",
                      (double)characteristic->spacing_us.number / 1000);
    print_fields(stream, type);
}

/* The layouts of manufacturer data and service data. */
static void print_parts(FILE *stream, const struct ys_parts *parts)
{
    for (size_t i = 0; i < parts->count; i++) {
        const struct ys_part *part = &parts->items[i];
        if (part->kind == YS_PART_MANUFACTURER) {
            (void)fprintf(stream, "\nManufacturer data, behind company 0x%04X:", (unsigned)part->number.number);
        } else if (part->kind == YS_PART_SERVICE_DATA && part->service.name != NULL) {
            (void)fputs("\nService data, behind the UUID of ", stream);
            put_text(stream, part->service.name);
            (void)fputc(':', stream);
        } else {
            continue;
        }
        print_fields(stream, &part->type);
    }
}

static void print_set(FILE *stream, const struct ys_advertisement *set)
{
    static const char *const kinds[] = {"connectable", "scannable", "not connectable"};
    static const char *const phys[] = {"1M", "1M", "2M", "coded"}; /* not said, or said */
    (void)fprintf(stream, "\nIt advertises%s", set->name != NULL ? " \"" : "");
    put_text(stream, set->name != NULL ? set->name : "");
    (void)fprintf(stream, "%s (%s) every %g to %g ms", set->name != NULL ? "\"" : "", kinds[ys_advertisement_kind(set)],
                  (double)set->interval_min_us / 1000, (double)set->interval_max_us / 1000 + 10);
    for (size_t i = 0; i < set->promise_count; i++) {
        (void)fputs(i > 0 ? ", " : ", with the services ", stream);
        put_text(stream, set->promises[i].name);
    }
    if (set->extended)
        (void)fprintf(stream, ", in extended packets: found on %s, with the payload on %s", phys[set->primary_phy],
                      phys[set->phy]);
    (void)fputs(".\n", stream);
    print_parts(stream, &set->data);
    print_parts(stream, &set->response);
}

static void print_security(FILE *stream, const struct ys_device_security *security)
{
    static const char *const has[] = {"a display", "a display, and yes and no to press", "a keyboard",
                                      "neither display nor keyboard", "a keyboard and a display"};
    (void)fprintf(stream, "\nIt pairs%s and has %s; peers are %sremembered.\n",
                  security->secure_only ? " by LE Secure Connections only" : "",
                  has[security->capability > 0 ? security->capability - 1 : 0], security->bonding ? "" : "not ");
}

static void print_link(FILE *stream, const struct ys_design *design)
{
    static const char *const phys[] = {"", "1M", "2M", "LE Coded", "LE Coded", "LE Coded"};
    const struct ys_device_link *link = &design->link;
    struct ys_link_wishes wishes;
    (void)ys_link_of(design, &wishes);
    if (link->interval_max_us != 0)
        (void)fprintf(stream, "\nOnce connected it asks for an event every %g to %g ms, latency %u, timeout %u ms.\n",
                      wishes.interval_min_us / 1000.0, wishes.interval_max_us / 1000.0, wishes.latency,
                      wishes.supervision_timeout_ms);
    if (link->phy != 0)
        (void)fprintf(stream, "\nIt asks for %s.\n", phys[link->phy]);
    if (wishes.packet_length != 0)
        (void)fprintf(stream, "\nIt asks for packets of %u bytes.\n", wishes.packet_length);
}

static void print_scanning(FILE *stream, const struct ys_device_scanning *scanning)
{
    char *text = ys_scanning_text(scanning);
    (void)fputs("\n## What it looks for\n\nIt looks for ", stream);
    put_text(stream, text);
    (void)fputs(".\n", stream);
    free(text);
}

void ys_interface_print(FILE *stream, const struct ys_design *design)
{
    char uuid[YS_UUID_TEXT_SIZE];
    (void)fputs("# ", stream);
    put_text(stream, design->name.text);
    bool meets = design->set_count > 0 || !design->scanning.given;
    (void)fputs(meets ? "\n\nWhat the device offers over Bluetooth Low Energy. Numbers are sent with their least "
                        "significant byte first, unless it says otherwise.\n"
                      : "\n\nThe device is a central: it is not connectable.\n",
                stream);
    if (design->scanning.given)
        print_scanning(stream, &design->scanning);
    for (size_t i = 0; i < design->set_count; i++)
        print_set(stream, &design->sets[i]);
    if (design->security.given)
        print_security(stream, &design->security);
    if (design->link.given)
        print_link(stream, design);
    for (size_t i = 0; i < design->service_count; i++) {
        const struct ys_service *service = &design->services[i];
        if (service->implied)
            continue;
        (void)fputs("\n## ", stream);
        put_text(stream, service->name);
        (void)fprintf(stream, "\n\n%s service `%s`.\n", service->secondary ? "Secondary" : "Primary",
                      ys_uuid_format(&service->uuid, uuid));
        for (size_t j = 0; j < service->characteristic_count; j++)
            print_characteristic(stream, &service->characteristics[j]);
    }
}
