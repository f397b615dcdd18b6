/* The payloads of an advertisement. */
#include "design/making/payload.h"

#include <stdio.h>
#include <string.h>

#include <yarnswift/advertisement.h>

#define COUNT(array) (sizeof(array) / sizeof((array)[0]))

uint8_t ys_advertisement_kind(const struct ys_advertisement *set)
{
    return (uint8_t)(set->kind > 0 ? set->kind - 1 : YS_ADVERTISE_CONNECTABLE);
}

/* Puts all promised UUIDs of one length as one structure, if there are any (CSS Part A 1.1, 1.2, 1.10). */
static void put_uuids(const struct ys_advertisement *set, struct ys_writer *writer, size_t each, uint8_t type)
{
    uint8_t bytes[256];
    struct ys_writer list = ys_writer_to(bytes, sizeof bytes);
    for (size_t i = 0; i < set->promise_count; i++) {
        const struct ys_service *service = set->promises[i].service;
        if (service != NULL && service->uuid.length == each)
            ys_put_uuid(&list, &service->uuid);
    }
    if (ys_writer_length(&list) > 0)
        ys_put_ad(writer, type, bytes, ys_writer_stored(&list));
}

static void put_services(const struct ys_advertisement *set, struct ys_writer *writer, bool all)
{
    put_uuids(set, writer, 2, all ? YS_AD_ALL_UUIDS_16 : YS_AD_SOME_UUIDS_16);
    put_uuids(set, writer, 16, all ? YS_AD_ALL_UUIDS_128 : YS_AD_SOME_UUIDS_128);
}

/* CSS Part A 1.3: a beacon is not discoverable in the sense of its mode, and still says what it does not speak (Vol 3
 * Part C 9.2.2, 9.2.4). */
static void put_flags(const struct ys_advertisement *set, struct ys_writer *writer)
{
    uint8_t flags =
        ys_advertisement_kind(set) == YS_ADVERTISE_CONNECTABLE ? YS_AD_GENERAL | YS_AD_NO_CLASSIC : YS_AD_NO_CLASSIC;
    ys_put_ad(writer, YS_AD_FLAGS, &flags, 1);
}

/* CSS Part A 1.1, 1.2. */
static void put_name(const struct ys_design *design, struct ys_writer *writer, size_t length)
{
    const char *name = design->name.text != NULL ? design->name.text : "";
    bool whole = strlen(name) <= length;
    ys_put_ad(writer, whole ? YS_AD_NAME : YS_AD_SHORT_NAME, name, whole ? strlen(name) : length);
}

/* In steps of 0.625 ms: in two bytes (CSS Part A 1.15), or in three or four where those do not hold it (CSS Part
 * A 1.12). */
static void put_interval(struct ys_writer *writer, uint64_t interval_us)
{
    uint8_t bytes[4];
    struct ys_writer number = ys_writer_to(bytes, sizeof bytes);
    uint64_t steps = interval_us / 625;
    if (steps <= 0xffff)
        ys_put_u16(&number, (uint16_t)steps);
    else if (steps <= 0xffffff)
        ys_put_u24(&number, (uint32_t)steps);
    else
        ys_put_u32(&number, (uint32_t)steps);
    ys_put_ad(writer, steps <= 0xffff ? YS_AD_INTERVAL : YS_AD_LONG_INTERVAL, bytes, ys_writer_stored(&number));
}

/* CSS Part A 1.12, 1.15. */
static void put_16_bits(struct ys_writer *writer, uint8_t type, uint16_t number)
{
    uint8_t bytes[2];
    struct ys_writer two = ys_writer_to(bytes, sizeof bytes);
    ys_put_u16(&two, number);
    ys_put_ad(writer, type, bytes, sizeof bytes);
}

/* CSS Part A 1.4, 1.11. */
uint8_t ys_payload_put_head(const struct ys_part *part, struct ys_writer *writer)
{
    const struct ys_service *service = part->service.service;
    if (part->kind == YS_PART_MANUFACTURER) {
        ys_put_u16(writer, (uint16_t)part->number.number);
        return YS_AD_MANUFACTURER;
    }
    if (part->kind != YS_PART_SERVICE_DATA || service == NULL)
        return (uint8_t)part->number.number;
    ys_put_uuid(writer, &service->uuid);
    return service->uuid.length == 2 ? YS_AD_SERVICE_DATA_16 : YS_AD_SERVICE_DATA_128;
}

static void put_data(const struct ys_part *part, struct ys_writer *writer)
{
    uint8_t bytes[16 + 255];
    struct ys_writer data = ys_writer_to(bytes, sizeof bytes);
    uint8_t type = ys_payload_put_head(part, &data);
    ys_put_bytes(&data, part->value, part->value_length);
    if (ys_writer_ok(&data))
        ys_put_ad(writer, type, bytes, ys_writer_stored(&data));
    else
        writer->length += 2 + ys_writer_length(&data); /* more than any payload holds */
}

/* CSS Part A 1.5, 1.9, 1.16, 1.18. */
void ys_payload_put_part(const struct ys_design *design, const struct ys_advertisement *set, const struct ys_part *part,
                         struct ys_writer *writer)
{
    switch (part->kind) {
    case YS_PART_FLAGS:
        put_flags(set, writer);
        break;
    case YS_PART_NAME:
        put_name(design, writer, 248);
        break;
    case YS_PART_SHORT_NAME:
        put_name(design, writer, (size_t)part->number.number);
        break;
    case YS_PART_SERVICES:
    case YS_PART_SOME_SERVICES:
        put_services(set, writer, part->kind == YS_PART_SERVICES);
        break;
    case YS_PART_APPEARANCE:
        put_16_bits(writer, YS_AD_APPEARANCE, design->appearance);
        break;
    case YS_PART_INTERVAL:
        put_interval(writer, set->interval_min_us);
        break;
    case YS_PART_ROLE: /* CSS Part A 1.17: only peripheral */
        ys_put_ad(writer, YS_AD_ROLE, "", 1);
        break;
    case YS_PART_CONNECTION_INTERVAL:
    case YS_PART_WANTED_SERVICES:
    case YS_PART_TARGETS:
    case YS_PART_URI: /* whole structures already */
        ys_put_bytes(writer, part->value, part->value_length);
        break;
    case YS_PART_POWER:
        ys_put_ad(writer, YS_AD_TX_POWER, part->value, part->value_length);
        break;
    case YS_PART_MANUFACTURER:
    case YS_PART_SERVICE_DATA:
    case YS_PART_STRUCTURE:
        put_data(part, writer);
        break;
    default:
        break;
    }
}

/* Where everything stands that the definition does not put somewhere: an extended set has one place. */
static bool has_place(const struct ys_advertisement *set, bool response)
{
    uint8_t kind = ys_advertisement_kind(set);
    if (!set->extended)
        return !response || kind != YS_ADVERTISE_BEACON;
    return response == (kind == YS_ADVERTISE_SCANNABLE);
}

size_t ys_payload_room(const struct ys_advertisement *set, bool response)
{
    if (!has_place(set, response))
        return 0;
    if (!set->extended)
        return YS_ADVERTISEMENT_MAX;
    return ys_advertisement_kind(set) == YS_ADVERTISE_CONNECTABLE ? YS_PAYLOAD_CONNECTABLE : YS_PAYLOAD_MOST;
}

static struct ys_writer put_parts(const struct ys_design *design, const struct ys_advertisement *set, bool response,
                                  uint8_t *bytes)
{
    const struct ys_parts *parts = response ? &set->response : &set->data;
    struct ys_writer writer = ys_writer_to(bytes, ys_payload_room(set, response));
    bool by_rule = !set->data.given && !set->response.given && has_place(set, response);
    for (size_t i = 0; i < parts->count; i++)
        ys_payload_put_part(design, set, &parts->items[i], &writer);
    if (by_rule && (!response || set->extended)) {
        if (!response)
            put_flags(set, &writer);
        put_services(set, &writer, true);
    }
    if (by_rule && (response || set->extended))
        put_name(design, &writer, 248);
    return writer;
}

struct ys_payload ys_payload_compose(const struct ys_design *design, const struct ys_advertisement *set)
{
    struct ys_payload payload = {.data_length = 0};
    struct ys_writer data = put_parts(design, set, false, payload.data);
    struct ys_writer response = put_parts(design, set, true, payload.response);
    payload.data_length = ys_writer_stored(&data);
    payload.response_length = ys_writer_stored(&response);
    return payload;
}

static const char *const part_words[] = {[YS_PART_FLAGS] = "flags",
                                         [YS_PART_NAME] = "name",
                                         [YS_PART_SERVICES] = "services",
                                         [YS_PART_APPEARANCE] = "appearance",
                                         [YS_PART_INTERVAL] = "interval",
                                         [YS_PART_SOME_SERVICES] = "incomplete services",
                                         [YS_PART_ROLE] = "role",
                                         [YS_PART_SHORT_NAME] = "shortened name",
                                         [YS_PART_POWER] = "power",
                                         [YS_PART_CONNECTION_INTERVAL] = "connection interval",
                                         [YS_PART_WANTED_SERVICES] = "solicited services",
                                         [YS_PART_TARGETS] = "targets",
                                         [YS_PART_URI] = "uri",
                                         [YS_PART_MANUFACTURER] = "manufacturer",
                                         [YS_PART_SERVICE_DATA] = "service data",
                                         [YS_PART_STRUCTURE] = "structure"};

static const char *part_word(const struct ys_part *part)
{
    return part->kind > 0 && (size_t)part->kind < COUNT(part_words) ? part_words[part->kind] : "";
}

static size_t part_length(const struct ys_design *design, const struct ys_advertisement *set,
                          const struct ys_part *part)
{
    struct ys_writer writer = ys_writer_to(NULL, 0);
    ys_payload_put_part(design, set, part, &writer);
    return ys_writer_length(&writer);
}

/* What each structure of a payload takes: "3 flags, 18 services". */
static void describe(const struct ys_design *design, const struct ys_advertisement *set, const struct ys_parts *parts,
                     char *text, size_t size)
{
    size_t used = 0;
    text[0] = '\0';
    for (size_t i = 0; i < parts->count && used < size; i++) {
        int more = snprintf(text + used, size - used, "%s%zu %s", i > 0 ? ", " : "",
                            part_length(design, set, &parts->items[i]), part_word(&parts->items[i]));
        used += more > 0 ? (size_t)more : 0;
    }
}

/* The smallest part that makes up for what is too much, and fits into what the other payload has left. */
static const struct ys_part *movable(const struct ys_design *design, const struct ys_advertisement *set, bool response,
                                     size_t excess)
{
    const struct ys_parts *parts = response ? &set->response : &set->data;
    uint8_t bytes[YS_PAYLOAD_MOST];
    struct ys_writer other = put_parts(design, set, !response, bytes);
    size_t room = ys_payload_room(set, !response);
    size_t left = ys_writer_length(&other) < room ? room - ys_writer_length(&other) : 0;
    const struct ys_part *best = NULL;
    for (size_t i = 0; i < parts->count; i++) {
        size_t length = part_length(design, set, &parts->items[i]);
        if (parts->items[i].kind != YS_PART_FLAGS && length >= excess && length <= left &&
            (best == NULL || length < part_length(design, set, best)))
            best = &parts->items[i];
    }
    return best;
}

static void too_long(struct ys_design *design, const struct ys_advertisement *set, bool response, size_t length)
{
    const struct ys_parts *parts = response ? &set->response : &set->data;
    const char *name = response ? "scan response" : "advertisement";
    const char *other = response ? "advertisement" : "scan response";
    size_t room = ys_payload_room(set, response);
    const struct ys_part *part = movable(design, set, response, length - room);
    char text[300];
    char what[80];
    describe(design, set, parts, text, sizeof text);
    if (part != NULL)
        (void)snprintf(what, sizeof what, "move %s to the %s, which has room", part_word(part), other);
    else
        (void)snprintf(what, sizeof what, "leave out %zu; the %s has no room for a part of it", length - room, other);
    ys_findings_add(&design->findings, YS_ERROR, "payload-too-long", parts->place,
                    "the %s needs %zu bytes (%s) and has %zu: %s", name, length, text, room, what);
}

static void check_parts(struct ys_design *design, const struct ys_advertisement *set, bool response)
{
    const struct ys_parts *parts = response ? &set->response : &set->data;
    uint8_t bytes[YS_PAYLOAD_MOST];
    struct ys_writer writer = put_parts(design, set, response, bytes);
    size_t room = ys_payload_room(set, response);
    if (ys_writer_ok(&writer) || room == 0) /* that there is no such payload has been said */
        return;
    size_t length = ys_writer_length(&writer);
    if (parts->given)
        too_long(design, set, response, length);
    else if (response && !set->extended)
        ys_findings_add(
            &design->findings, YS_ERROR, "payload-too-long", design->name.place,
            "the name needs %zu bytes of the scan response, which has 31 (29 of them for the name): "
            "shorten it by %zu, or tell its beginning only: data: [flags%s], response: [{shortened name: 29}]",
            length, length - 31, set->promise_count > 0 ? ", services" : "");
    else
        ys_findings_add(&design->findings, YS_ERROR, "payload-too-long",
                        set->promise_count > 0 ? set->promises[0].place : set->place,
                        set->extended ? "the advertisement needs %zu bytes (flags, services and the name) and has %zu: "
                                        "promise fewer services"
                                      : "the advertisement needs %zu bytes (3 of flags, the rest for services) and has "
                                        "%zu: promise fewer services",
                        length, room);
}

bool ys_advertisement_has_options(const struct ys_advertisement *set)
{
    return set->extended || set->anonymous || set->include_power || set->report_scan_requests || set->phy > 0 ||
           set->primary_phy > 0 || set->power.text != NULL || set->set_id.given || set->events.given;
}

bool ys_design_has_sets(const struct ys_design *design)
{
    for (size_t i = 0; i < design->set_count; i++) {
        if (ys_advertisement_has_options(&design->sets[i]))
            return true;
    }
    return design->scanning.phy > 1; /* on coded */
}

static struct ys_set_options options_of(const struct ys_advertisement *set)
{
    static const uint8_t phys[] = {YS_1M, YS_1M, YS_2M, YS_CODED}; /* not said, or said */
    return (struct ys_set_options){
        .extended = set->extended,
        .anonymous = set->anonymous,
        .include_power = set->include_power,
        .report_scan_requests = set->report_scan_requests,
        .has_power = set->power.text != NULL,
        .power_dbm = set->power_dbm,
        .primary_phy = phys[set->primary_phy],
        .phy = phys[set->phy],
        .set_id = (uint8_t)set->set_id.number,
        .events = (uint8_t)set->events.number,
    };
}

struct ys_advertising ys_advertisement_settings(const struct ys_advertisement *set, const struct ys_payload *payload,
                                                struct ys_set_options *options)
{
    *options = options_of(set);
    return (struct ys_advertising){
        .interval_min_us = (uint32_t)set->interval_min_us,
        .interval_max_us = (uint32_t)set->interval_max_us,
        .kind = ys_advertisement_kind(set),
        .data_length = (uint16_t)payload->data_length,
        .response_length = (uint16_t)payload->response_length,
        .data = payload->data,
        .response = payload->response,
        .findable = (uint8_t)(set->findable > 0 ? set->findable - 1 : YS_FINDABLE_WHILE_FREE),
        .channels = set->channels,
        .duration_ms = (uint32_t)(set->duration_us.number / 1000),
        .options = ys_advertisement_has_options(set) ? options : NULL,
    };
}

void ys_payload_check(struct ys_design *design, const struct ys_advertisement *set)
{
    check_parts(design, set, false);
    check_parts(design, set, true);
}
