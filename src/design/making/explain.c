/* Advertising structures in words: a row for each type that is known. */
#include "design/making/explain.h"

#include <stdarg.h>
#include <stdio.h>
#include <string.h>

#include "design/model/value.h"
#include "design/reading/catalogue.h"
#include "wire/hex.h"

#define COUNT(array) (sizeof(array) / sizeof((array)[0]))

/* A line that is being written. */
struct line {
    char *text;
    size_t size;
    size_t length;
};

#if defined(__GNUC__)
__attribute__((format(printf, 2, 3)))
#endif
static void
say(struct line *line, const char *format, ...)
{
    va_list arguments;
    va_start(arguments, format);
    int length = vsnprintf(line->text + line->length, line->size - line->length, format, arguments);
    va_end(arguments);
    if (length > 0)
        line->length += (size_t)length < line->size - line->length ? (size_t)length : line->size - line->length - 1;
}

typedef void explain_fn(const struct ys_design *design, struct ys_reader *data, struct line *line);

/* CSS Part A 1.3. */
static void explain_flags(const struct ys_design *design, struct ys_reader *data, struct line *line)
{
    static const char *const bits[] = {"limited discoverable", "general discoverable", "BR/EDR not supported",
                                       "LE and BR/EDR at once, controller", "LE and BR/EDR at once, host"};
    uint8_t flags = ys_get_u8(data);
    const char *separator = "";
    (void)design;
    for (size_t i = 0; i < COUNT(bits); i++) {
        if ((flags >> i & 1) == 0)
            continue;
        say(line, "%s%s", separator, bits[i]);
        separator = ", ";
    }
    data->left = 0; /* further bytes are for later versions */
}

static void say_service(const struct ys_design *design, const struct ys_uuid *uuid, struct line *line)
{
    char text[YS_UUID_TEXT_SIZE];
    uint32_t number = ys_uuid_number(uuid);
    const struct ys_adopted *adopted = uuid->length == 2 ? ys_adopted_by_number(YS_ADOPTED_SERVICE, number) : NULL;
    for (size_t i = 0; design != NULL && i < design->service_count; i++) {
        if (ys_uuid_is_equal(&design->services[i].uuid, uuid)) {
            say(line, "%s", design->services[i].name);
            return;
        }
    }
    say(line, "%s", adopted != NULL ? adopted->name : ys_uuid_format(uuid, text));
}

static void say_list(const struct ys_design *design, struct ys_reader *data, size_t each, struct line *line)
{
    const char *separator = "";
    while (ys_reader_left(data) >= each) {
        struct ys_uuid uuid = ys_uuid_from_air(ys_get_bytes(data, each), each);
        say(line, "%s", separator);
        say_service(design, &uuid, line);
        separator = ", ";
    }
}

static void explain_uuids_16(const struct ys_design *design, struct ys_reader *data, struct line *line)
{
    say_list(design, data, 2, line);
}

static void explain_uuids_32(const struct ys_design *design, struct ys_reader *data, struct line *line)
{
    say_list(design, data, 4, line);
}

static void explain_uuids_128(const struct ys_design *design, struct ys_reader *data, struct line *line)
{
    say_list(design, data, 16, line);
}

static void explain_text(const struct ys_design *design, struct ys_reader *data, struct line *line)
{
    const struct ys_field field = {.format = ys_format_find("utf8s"), .length = {.number = 254}};
    size_t length = ys_reader_left(data);
    char text[300];
    (void)design;
    ys_value_format(&field, ys_get_bytes(data, length), length, text, sizeof text);
    say(line, "%s", text);
}

static void explain_power(const struct ys_design *design, struct ys_reader *data, struct line *line)
{
    (void)design;
    say(line, "%d dBm", (int8_t)ys_get_u8(data));
}

static void explain_appearance(const struct ys_design *design, struct ys_reader *data, struct line *line)
{
    uint16_t number = ys_get_u16(data);
    const struct ys_adopted *adopted = ys_adopted_by_number(YS_ADOPTED_APPEARANCE, number);
    (void)design;
    say(line, "%s (0x%04X)", adopted != NULL ? adopted->name : "not adopted", number);
}

static void explain_interval(const struct ys_design *design, struct ys_reader *data, struct line *line)
{
    (void)design;
    say(line, "%g ms", ys_get_u16(data) * 0.625);
}

/* In three or four bytes. */
static void explain_long_interval(const struct ys_design *design, struct ys_reader *data, struct line *line)
{
    uint32_t steps = ys_reader_left(data) == 3 ? ys_get_u24(data) : ys_get_u32(data);
    (void)design;
    say(line, "%g s", steps * 0.625 / 1000);
}

/* CSS Part A 1.17. */
static void explain_role(const struct ys_design *design, struct ys_reader *data, struct line *line)
{
    static const char *const roles[] = {"peripheral", "central", "peripheral or central, rather peripheral",
                                        "peripheral or central, rather central"};
    uint8_t role = ys_get_u8(data);
    (void)design;
    say(line, "%s", role < COUNT(roles) ? roles[role] : "reserved");
}

/* CSS Part A 1.16: the type comes after the address. */
static void explain_own_address(const struct ys_design *design, struct ys_reader *data, struct line *line)
{
    char text[YS_ADDRESS_TEXT_SIZE];
    struct ys_address address = {.type = 0};
    (void)design;
    ys_get_address(data, &address);
    address.type = ys_get_u8(data) & 1;
    say(line, "%s (%s)", ys_address_format(&address, text), ys_address_kind(&address));
}

/* CSS Part A 1.9: 0xFFFF is no particular end. */
static void explain_connection_intervals(const struct ys_design *design, struct ys_reader *data, struct line *line)
{
    uint16_t least = ys_get_u16(data);
    uint16_t greatest = ys_get_u16(data);
    (void)design;
    if (least != 0xffff)
        say(line, "from %g ms", least * 1.25);
    if (greatest != 0xffff)
        say(line, "%sto %g ms", least != 0xffff ? " " : "", greatest * 1.25);
}

static void explain_addresses(const struct ys_design *design, struct ys_reader *data, struct line *line)
{
    const char *separator = "";
    (void)design;
    while (ys_reader_left(data) >= 6) {
        char text[YS_ADDRESS_TEXT_SIZE];
        struct ys_address address = {.type = YS_ADDRESS_PUBLIC};
        memcpy(address.bytes, ys_get_bytes(data, 6), 6);
        say(line, "%s%s", separator, ys_address_format(&address, text));
        separator = ", ";
    }
}

/* The rest of a structure that only its maker can read: by the layout of the definition that has it, or as bytes. */
static void say_rest(const struct ys_part *part, struct ys_reader *data, struct line *line)
{
    size_t length = ys_reader_left(data);
    const uint8_t *bytes = ys_get_bytes(data, length);
    char text[800];
    if (length == 0)
        return;
    if (part != NULL && part->type.format != NULL)
        ys_value_format(&part->type, bytes, length, text, sizeof text);
    else
        (void)ys_hex_format(bytes, length, " ", text, sizeof text);
    say(line, ": %s", text);
}

/* The part of a definition that makes such a structure; NULL if it has none. */
static const struct ys_part *find_part(const struct ys_design *design, int kind, uint32_t company,
                                       const struct ys_uuid *uuid)
{
    for (size_t i = 0; design != NULL && i < design->set_count; i++) {
        const struct ys_parts *lists[] = {&design->sets[i].data, &design->sets[i].response};
        for (size_t j = 0; j < COUNT(lists); j++) {
            for (size_t k = 0; k < lists[j]->count; k++) {
                const struct ys_part *part = &lists[j]->items[k];
                bool same = kind == YS_PART_MANUFACTURER
                                ? part->number.number == company
                                : part->service.service != NULL && ys_uuid_is_equal(&part->service.service->uuid, uuid);
                if (part->kind == kind && same)
                    return part;
            }
        }
    }
    return NULL;
}

static void explain_manufacturer(const struct ys_design *design, struct ys_reader *data, struct line *line)
{
    const struct ys_uuid none = {.length = 0};
    uint16_t company = ys_get_u16(data);
    say(line, company == 0xffff ? "company 0x%04X, for tests" : "company 0x%04X", company);
    say_rest(find_part(design, YS_PART_MANUFACTURER, company, &none), data, line);
}

static void say_service_data(const struct ys_design *design, struct ys_reader *data, size_t each, struct line *line)
{
    const uint8_t *bytes = ys_get_bytes(data, each);
    if (bytes == NULL)
        return;
    struct ys_uuid uuid = ys_uuid_from_air(bytes, each);
    say_service(design, &uuid, line);
    say_rest(find_part(design, YS_PART_SERVICE_DATA, 0, &uuid), data, line);
}

static void explain_service_data_16(const struct ys_design *design, struct ys_reader *data, struct line *line)
{
    say_service_data(design, data, 2, line);
}

static void explain_service_data_32(const struct ys_design *design, struct ys_reader *data, struct line *line)
{
    say_service_data(design, data, 4, line);
}

static void explain_service_data_128(const struct ys_design *design, struct ys_reader *data, struct line *line)
{
    say_service_data(design, data, 16, line);
}

/* CSS Part A 1.18: the most usual beginnings are one character. */
static void explain_uri(const struct ys_design *design, struct ys_reader *data, struct line *line)
{
    static const struct {
        uint8_t code;
        const char *scheme;
    } schemes[] = {{0x16, "http:"}, {0x17, "https:"}};
    uint8_t code = ys_get_u8(data);
    (void)design;
    for (size_t i = 0; i < COUNT(schemes); i++) {
        if (schemes[i].code == code)
            say(line, "%s", schemes[i].scheme);
    }
    while (ys_reader_left(data) > 0) {
        uint8_t character = ys_get_u8(data);
        say(line, character >= 0x20 && character < 0x7f ? "%c" : "%%%02X", character);
    }
}

static const struct {
    uint8_t type;
    const char *name; /* in the language of definitions; NULL: the catalogue's */
    explain_fn *explain;
} rows[] = {
    {YS_AD_FLAGS, "flags", explain_flags},
    {YS_AD_SOME_UUIDS_16, "services", explain_uuids_16},
    {YS_AD_ALL_UUIDS_16, "services", explain_uuids_16},
    {YS_AD_SOME_UUIDS_32, "services", explain_uuids_32},
    {YS_AD_ALL_UUIDS_32, "services", explain_uuids_32},
    {YS_AD_SOME_UUIDS_128, "services", explain_uuids_128},
    {YS_AD_ALL_UUIDS_128, "services", explain_uuids_128},
    {YS_AD_SHORT_NAME, "shortened name", explain_text},
    {YS_AD_NAME, "name", explain_text},
    {YS_AD_TX_POWER, "power", explain_power},
    {YS_AD_CONNECTION_INTERVAL, "connection interval", explain_connection_intervals},
    {YS_AD_WANTED_UUIDS_16, "solicited services", explain_uuids_16},
    {YS_AD_WANTED_UUIDS_128, "solicited services", explain_uuids_128},
    {YS_AD_WANTED_UUIDS_32, "solicited services", explain_uuids_32},
    {YS_AD_SERVICE_DATA_16, "service data", explain_service_data_16},
    {YS_AD_PUBLIC_TARGETS, "targets", explain_addresses},
    {YS_AD_RANDOM_TARGETS, "targets", explain_addresses},
    {YS_AD_APPEARANCE, "appearance", explain_appearance},
    {YS_AD_INTERVAL, "interval", explain_interval},
    {0x20, "service data", explain_service_data_32},
    {YS_AD_SERVICE_DATA_128, "service data", explain_service_data_128},
    {YS_AD_URI, "uri", explain_uri},
    {YS_AD_OWN_ADDRESS, NULL, explain_own_address},
    {YS_AD_ROLE, "role", explain_role},
    {YS_AD_LONG_INTERVAL, "interval", explain_long_interval},
    {YS_AD_MANUFACTURER, "manufacturer", explain_manufacturer},
};

const char *ys_explain_type(uint8_t type)
{
    const struct ys_adopted *adopted = ys_adopted_by_number(YS_ADOPTED_ADVERTISING, type);
    for (size_t i = 0; i < COUNT(rows); i++) {
        if (rows[i].type == type && rows[i].name != NULL)
            return rows[i].name;
    }
    return adopted != NULL ? adopted->name : "other";
}

void ys_explain_structure(const struct ys_design *design, const struct ys_ad *ad, char *text, size_t size)
{
    struct line line = {.text = text, .size = size};
    text[0] = '\0';
    for (size_t i = 0; i < COUNT(rows); i++) {
        if (rows[i].type != ad->type)
            continue;
        struct ys_reader data = ys_reader_of(ad->data, ad->length);
        rows[i].explain(design, &data, &line);
        if (!ys_reader_ok(&data))
            (void)snprintf(text, size, "it is cut short");
        else if (ys_reader_left(&data) > 0)
            say(&line, "%sand %zu bytes too many", line.length > 0 ? ", " : "", ys_reader_left(&data));
    }
}
