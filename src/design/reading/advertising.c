/* The keys of advertising: how often, as what, and what stands in the payloads. */
#include "design/reading/advertising.h"

#include <stddef.h>
#include <stdint.h>
#include <stdio.h>
#include <string.h>

#include "design/model/memory.h"
#include "design/reading/names.h"
#include "design/reading/type.h"

#define COUNT(array) (sizeof(array) / sizeof((array)[0]))
#define PART(member) offsetof(struct ys_part, member)

static void error(const struct ys_node *node, const char *code, const char *text)
{
    ys_findings_add(node->findings, YS_ERROR, code, node->place, "%s", text);
}

const struct ys_kind ys_kind_interval = {.form = YS_TIME,
                                         .otherwise = &(const struct ys_kind){.form = YS_LIST, .items = &ys_kind_time}};

bool ys_read_interval(const struct ys_node *node, uint64_t ends[2])
{
    struct ys_node item;
    void *iterator = NULL;
    size_t count = 0;
    if (!ys_yaml_is_sequence(node)) {
        if (!ys_yaml_time(node, &ends[0]))
            return false;
        ends[1] = ends[0];
        return true;
    }
    for (; ys_yaml_next(node, &iterator, &item); count++) {
        if (count < 2 && !ys_yaml_time(&item, &ends[count]))
            return false;
    }
    if (count != 2)
        error(node, "interval", "interval must be one time, or a list of minimum and maximum");
    return count == 2;
}

static void set_interval(const struct ys_node *node, void *target)
{
    struct ys_advertisement *set = target;
    uint64_t ends[2];
    set->interval_place = node->place;
    if (!ys_read_interval(node, ends))
        return;
    set->interval_min_us = ends[0];
    set->interval_max_us = ends[1];
    if (ends[0] < 20000 || ends[1] > UINT32_MAX || ends[0] > ends[1])
        error(node, "interval",
              "the advertising interval must be from 20 ms to 10.24 s, or with extended: true up to 71 min, the "
              "minimum first");
    else if (ends[0] % 625 != 0 || ends[1] % 625 != 0)
        error(node, "interval", "the advertising interval goes in steps of 0.625 ms: take a multiple of it");
}

static void set_name(const struct ys_node *node, void *target)
{
    struct ys_advertisement *set = target;
    ys_read_name(node, &set->name, &set->id);
}

static void set_services(const struct ys_node *node, void *target)
{
    struct ys_advertisement *set = target;
    ys_read_promises(node, &set->promises, &set->promise_count);
}

/* Parts of payloads: a word, or a mapping of one key that says more. */

/* A reader for the mapping: the key says the kind. */
static struct ys_part *begin(const struct ys_node *node, void *target, enum ys_part_kind kind)
{
    struct ys_part *part = target;
    if (part->kind != YS_PART_NONE)
        error(node, "payload", "one item is one part: begin the next item with a dash");
    part->kind = kind;
    return part;
}

static void part_short_name(const struct ys_node *node, void *target)
{
    (void)begin(node, target, YS_PART_SHORT_NAME);
    ys_key_number(node, target);
}

static void part_power(const struct ys_node *node, void *target)
{
    (void)begin(node, target, YS_PART_POWER);
    ys_key_written(node, target);
}

static void part_connection_interval(const struct ys_node *node, void *target)
{
    struct ys_part *part = begin(node, target, YS_PART_CONNECTION_INTERVAL);
    if (!ys_read_interval(node, part->range_us))
        return;
    if (part->range_us[0] < 7500 || part->range_us[1] > 4000000 || part->range_us[0] > part->range_us[1] ||
        part->range_us[0] % 1250 != 0 || part->range_us[1] % 1250 != 0)
        error(node, "payload",
              "a connection interval must be from 7.5 ms to 4 s in steps of 1.25 ms, the minimum first");
}

static void part_wanted_services(const struct ys_node *node, void *target)
{
    struct ys_part *part = begin(node, target, YS_PART_WANTED_SERVICES);
    ys_read_promises(node, &part->list, &part->list_count);
}

static void part_targets(const struct ys_node *node, void *target)
{
    struct ys_part *part = begin(node, target, YS_PART_TARGETS);
    ys_read_promises(node, &part->list, &part->list_count);
}

static void part_uri(const struct ys_node *node, void *target)
{
    (void)begin(node, target, YS_PART_URI);
    ys_key_written(node, target);
}

static const struct ys_kind kind_16_bits = {.form = YS_NUMBER, .greatest = 0xffff};
static const struct ys_kind kind_8_bits = {.form = YS_NUMBER, .least = 1, .greatest = 0xff};
static const struct ys_kind kind_name_length = {.form = YS_NUMBER, .least = 1, .greatest = 29};

static const struct ys_key manufacturer_keys[] = {
    {"company", ys_key_number, &kind_16_bits, "The company identifier; 0xFFFF is for tests", true, PART(number)},
    YS_TYPE_KEYS(PART(type)),
    YS_FIELDS_KEY(PART(type)),
    {"value", ys_key_value, &ys_kind_text, "The data, in the format, or in hexadecimal without one", true,
     PART(value_text)},
};
static const struct ys_mapping manufacturer_mapping = {"manufacturer", manufacturer_keys, COUNT(manufacturer_keys),
                                                       NULL};
static const struct ys_kind kind_manufacturer = {.form = YS_MAPPING, .mapping = &manufacturer_mapping};

static void part_manufacturer(const struct ys_node *node, void *target)
{
    (void)ys_yaml_mapping(node, &manufacturer_mapping, begin(node, target, YS_PART_MANUFACTURER));
}

static void service_data_service(const struct ys_node *node, void *target)
{
    struct ys_part *part = target;
    part->service = (struct ys_promise){.name = ys_yaml_text(node), .place = node->place};
}

static const struct ys_key service_data_keys[] = {
    {"service", service_data_service, &ys_kind_text, "The name of one of the device's services", true, 0},
    YS_TYPE_KEYS(PART(type)),
    YS_FIELDS_KEY(PART(type)),
    {"value", ys_key_value, &ys_kind_text, "The data, in the format, or in hexadecimal without one", true,
     PART(value_text)},
};
static const struct ys_mapping service_data_mapping = {"service data", service_data_keys, COUNT(service_data_keys),
                                                       NULL};
static const struct ys_kind kind_service_data = {.form = YS_MAPPING, .mapping = &service_data_mapping};

static void part_service_data(const struct ys_node *node, void *target)
{
    (void)ys_yaml_mapping(node, &service_data_mapping, begin(node, target, YS_PART_SERVICE_DATA));
}

static const struct ys_key structure_keys[] = {
    {"type", ys_key_number, &kind_8_bits, "Its advertising type, a number of the Assigned Numbers", true, PART(number)},
    {"value", ys_key_value, &ys_kind_text, "The data in hexadecimal", true, PART(value_text)},
};
static const struct ys_mapping structure_mapping = {"structure", structure_keys, COUNT(structure_keys), NULL};
static const struct ys_kind kind_structure = {.form = YS_MAPPING, .mapping = &structure_mapping};

static void part_structure(const struct ys_node *node, void *target)
{
    (void)ys_yaml_mapping(node, &structure_mapping, begin(node, target, YS_PART_STRUCTURE));
}

static const struct ys_key part_keys[] = {
    {"shortened name", part_short_name, &kind_name_length, "Number of bytes of the name that are sent", false,
     PART(number)},
    {"power", part_power, &ys_kind_text, "Transmit power, such as -4 dBm", false, PART(text)},
    {"connection interval", part_connection_interval, &ys_kind_interval,
     "Preferred connection interval: a time, or minimum and maximum", false, 0},
    {"solicited services", part_wanted_services, &ys_kind_texts,
     "Services that it looks for in other devices: adopted names or UUIDs", false, 0},
    {"target addresses", part_targets, &ys_kind_texts,
     "Addresses of the devices that it is meant for; a public address begins with public", false, 0},
    {"uri", part_uri, &ys_kind_text, "A URI", false, PART(text)},
    {"manufacturer", part_manufacturer, &kind_manufacturer, "Manufacturer-specific data", false, 0},
    {"service data", part_service_data, &kind_service_data, "Data of a service", false, 0},
    {"structure", part_structure, &kind_structure, "Any other advertising structure, as bytes", false, 0},
};
static const struct ys_mapping part_mapping = {"a part of a payload", part_keys, COUNT(part_keys), NULL};

static const char *const part_words[] = {"flags", "name", "services", "appearance", "interval", "incomplete services",
                                         "role",  NULL};
static const struct ys_kind kind_part = {.form = YS_WORD,
                                         .words = part_words,
                                         .otherwise =
                                             &(const struct ys_kind){.form = YS_MAPPING, .mapping = &part_mapping}};
static const struct ys_kind kind_parts = {.form = YS_LIST, .items = &kind_part};

static void set_parts(const struct ys_node *node, void *target)
{
    struct ys_parts *parts = (struct ys_parts *)((char *)target + node->key->into);
    struct ys_node item;
    void *iterator = NULL;
    parts->given = true;
    parts->place = node->place;
    while (ys_yaml_next(node, &iterator, &item)) {
        parts->items = ys_grow(parts->items, parts->count, sizeof *parts->items);
        struct ys_part *part = &parts->items[parts->count++];
        *part = (struct ys_part){.place = item.place};
        if (ys_yaml_is_mapping(&item))
            (void)ys_yaml_mapping(&item, &part_mapping, part);
        else
            part->kind = ys_yaml_word(&item);
    }
}

static const char *const findables[] = {"while a connection is free", "until connected", "always", NULL};
static const struct ys_kind kind_findable = {.form = YS_WORD, .words = findables};

static void set_findable(const struct ys_node *node, void *target)
{
    ((struct ys_advertisement *)target)->findable_place = node->place;
    ys_key_word(node, target);
}

static void set_duration(const struct ys_node *node, void *target)
{
    struct ys_advertisement *set = target;
    ys_key_time(node, target);
    if (set->duration_us.given && (set->duration_us.number < 1000 || set->duration_us.number / 1000 > INT32_MAX))
        error(node, "duration", "a duration must be from 1 ms to 596 h");
}

static const struct ys_kind kind_channel = {.form = YS_NUMBER, .least = 37, .greatest = 39};
static const struct ys_kind kind_channels = {.form = YS_LIST, .items = &kind_channel};

static void set_channels(const struct ys_node *node, void *target)
{
    struct ys_advertisement *set = target;
    struct ys_node item;
    void *iterator = NULL;
    uint64_t channel;
    size_t errors = node->findings->errors;
    while (ys_yaml_next(node, &iterator, &item)) {
        if (!ys_yaml_number(&item, &channel))
            continue;
        uint8_t bit = (uint8_t)(1u << (channel - 37));
        if ((set->channels & bit) != 0)
            error(&item, "number", "this channel is there already");
        set->channels |= bit;
    }
    if (set->channels == 0 && node->findings->errors == errors)
        error(node, "number", "name at least one of the channels 37, 38, 39");
}

/* What needs a controller that has sets: where it was said is kept for messages. */
static void option_yes(const struct ys_node *node, void *target)
{
    ((struct ys_advertisement *)target)->options_place = node->place;
    ys_key_yes(node, target);
}

static void option_word(const struct ys_node *node, void *target)
{
    ((struct ys_advertisement *)target)->options_place = node->place;
    ys_key_word(node, target);
}

static void option_number(const struct ys_node *node, void *target)
{
    ((struct ys_advertisement *)target)->options_place = node->place;
    ys_key_number(node, target);
}

static void option_power(const struct ys_node *node, void *target)
{
    ((struct ys_advertisement *)target)->options_place = node->place;
    ys_key_written(node, target);
}

static const char *const phys[] = {"1M", "2M", "coded", NULL};
static const struct ys_kind kind_phy = {.form = YS_WORD, .words = phys};
static const struct ys_kind kind_set_id = {.form = YS_NUMBER, .greatest = 15};
static const struct ys_kind kind_events = {.form = YS_NUMBER, .least = 1, .greatest = 255};

#define OPTION(member) offsetof(struct ys_advertisement, member)

static const char *const kinds[] = {"connectable", "scannable", "beacon", NULL};
static const struct ys_kind kind_kind = {.form = YS_WORD, .words = kinds};

static const struct ys_key set_keys[] = {
    {"name", set_name, &ys_kind_text, "Name of the advertising set, also in C; one of several may have none", false, 0},
    {"kind", ys_key_word, &kind_kind, "connectable, scannable, or beacon (neither)", false,
     offsetof(struct ys_advertisement, kind)},
    {"interval", set_interval, &ys_kind_interval,
     "Advertising interval, 20 ms to 10.24 s: a time, or minimum and maximum", true, 0},
    {"findable", set_findable, &kind_findable, "When it can be found (default: while a connection is free)", false,
     offsetof(struct ys_advertisement, findable)},
    {"duration", set_duration, &ys_kind_time, "Time after which it stops (default: never)", false,
     offsetof(struct ys_advertisement, duration_us)},
    {"channels", set_channels, &kind_channels, "Some of the channels 37, 38, 39 (default: all)", false, 0},
    {"extended", option_yes, &ys_kind_yes, "Use extended advertising, which older centrals do not receive", false,
     OPTION(extended)},
    {"phy", option_word, &kind_phy, "PHY of the packets with the payload of extended advertising (default 1M)", false,
     OPTION(phy)},
    {"primary phy", option_word, &kind_phy, "PHY on the primary channels: 1M or coded (default 1M)", false,
     OPTION(primary_phy)},
    {"sid", option_number, &kind_set_id,
     "Advertising SID, by which scanners tell the advertising sets of a device apart", false, OPTION(set_id)},
    {"anonymous", option_yes, &ys_kind_yes, "Send extended advertising of a beacon without an address", false,
     OPTION(anonymous)},
    {"power", option_power, &ys_kind_text, "Transmit power, such as -8 dBm (default: the maximum)", false,
     OPTION(power)},
    {"include power", option_yes, &ys_kind_yes, "Include the transmit power in extended packets", false,
     OPTION(include_power)},
    {"report scan requests", option_yes, &ys_kind_yes, "Report scan requests to the firmware", false,
     OPTION(report_scan_requests)},
    {"events", option_number, &kind_events, "Number of extended advertising events after which it stops", false,
     OPTION(events)},
    {"services", set_services, &ys_kind_texts, "Names of the services whose UUIDs are advertised", false, 0},
    {"data", set_parts, &kind_parts, "Contents of the advertisement, in this order", false,
     offsetof(struct ys_advertisement, data)},
    {"response", set_parts, &kind_parts, "Contents of the scan response, in this order", false,
     offsetof(struct ys_advertisement, response)},
};
const struct ys_mapping ys_advertisement_mapping = {"advertising", set_keys, COUNT(set_keys), NULL};
