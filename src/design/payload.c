/* The payloads of an advertisement. */
#include "design/payload.h"

#include <stdio.h>
#include <string.h>

#include <yarnswift/advertisement.h>

#include "design/value.h"

#define COUNT(array) (sizeof(array) / sizeof((array)[0]))

uint8_t ys_advertisement_kind(const struct ys_advertisement *set)
{
    return (uint8_t)(set->kind > 0 ? set->kind - 1 : YS_ADVERTISE_CONNECTABLE);
}

/* Puts all promised UUIDs of one length as one structure, if there are any. */
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

static void put_services(const struct ys_advertisement *set, struct ys_writer *writer)
{
    put_uuids(set, writer, 2, YS_AD_ALL_UUIDS_16);
    put_uuids(set, writer, 16, YS_AD_ALL_UUIDS_128);
}

/* CSS Part A 1.3: a beacon is not discoverable in the sense of its mode, and still says what it does not speak. */
static void put_flags(const struct ys_advertisement *set, struct ys_writer *writer)
{
    uint8_t flags =
        ys_advertisement_kind(set) == YS_ADVERTISE_CONNECTABLE ? YS_AD_GENERAL | YS_AD_NO_CLASSIC : YS_AD_NO_CLASSIC;
    ys_put_ad(writer, YS_AD_FLAGS, &flags, 1);
}

static void put_name(const struct ys_design *design, struct ys_writer *writer, size_t length)
{
    const char *name = design->name.text != NULL ? design->name.text : "";
    bool whole = strlen(name) <= length;
    ys_put_ad(writer, whole ? YS_AD_NAME : YS_AD_SHORT_NAME, name, whole ? strlen(name) : length);
}

static void put_16_bits(struct ys_writer *writer, uint8_t type, uint16_t number)
{
    uint8_t bytes[2];
    struct ys_writer two = ys_writer_to(bytes, sizeof bytes);
    ys_put_u16(&two, number);
    ys_put_ad(writer, type, bytes, sizeof bytes);
}

/* What stands in front of a part's own value: a company, or a service's UUID. */
static void put_data(const struct ys_part *part, struct ys_writer *writer)
{
    uint8_t bytes[16 + 255];
    struct ys_writer data = ys_writer_to(bytes, sizeof bytes);
    uint8_t type = (uint8_t)part->number.number;
    if (part->kind == YS_PART_MANUFACTURER) {
        type = YS_AD_MANUFACTURER;
        ys_put_u16(&data, (uint16_t)part->number.number);
    } else if (part->kind == YS_PART_SERVICE_DATA && part->service.service != NULL) {
        type = part->service.service->uuid.length == 2 ? YS_AD_SERVICE_DATA_16 : YS_AD_SERVICE_DATA_128;
        ys_put_uuid(&data, &part->service.service->uuid);
    }
    ys_put_bytes(&data, part->value, part->value_length);
    if (ys_writer_ok(&data))
        ys_put_ad(writer, type, bytes, ys_writer_stored(&data));
    else
        writer->length += 2 + ys_writer_length(&data); /* more than any payload holds */
}

static void put_part(const struct ys_design *design, const struct ys_advertisement *set, const struct ys_part *part,
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
        put_services(set, writer);
        break;
    case YS_PART_APPEARANCE:
        put_16_bits(writer, YS_AD_APPEARANCE, design->appearance);
        break;
    case YS_PART_INTERVAL: /* CSS Part A 1.15, in 0.625 ms */
        put_16_bits(writer, YS_AD_INTERVAL, (uint16_t)(set->interval_min_us / 625));
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

static struct ys_writer put_parts(const struct ys_design *design, const struct ys_advertisement *set, bool response,
                                  uint8_t *bytes, size_t size)
{
    const struct ys_parts *parts = response ? &set->response : &set->data;
    struct ys_writer writer = ys_writer_to(bytes, size);
    bool by_rule = !set->data.given && !set->response.given;
    for (size_t i = 0; i < parts->count; i++)
        put_part(design, set, &parts->items[i], &writer);
    if (by_rule && !response) {
        put_flags(set, &writer);
        put_services(set, &writer);
    }
    if (by_rule && response && ys_advertisement_kind(set) != YS_ADVERTISE_BEACON)
        put_name(design, &writer, 248);
    return writer;
}

struct ys_payload ys_payload_compose(const struct ys_design *design, const struct ys_advertisement *set)
{
    struct ys_payload payload = {.data_length = 0};
    struct ys_writer data = put_parts(design, set, false, payload.data, sizeof payload.data);
    struct ys_writer response = put_parts(design, set, true, payload.response, sizeof payload.response);
    payload.data_length = ys_writer_stored(&data);
    payload.response_length = ys_writer_stored(&response);
    return payload;
}

/* What each structure of a payload takes: "3 flags, 18 services". */
static void describe(const struct ys_design *design, const struct ys_advertisement *set, const struct ys_parts *parts,
                     char *text, size_t size)
{
    static const char *const words[] = {[YS_PART_FLAGS] = "flags",
                                        [YS_PART_NAME] = "name",
                                        [YS_PART_SERVICES] = "services",
                                        [YS_PART_APPEARANCE] = "appearance",
                                        [YS_PART_INTERVAL] = "interval",
                                        [YS_PART_SHORT_NAME] = "short name",
                                        [YS_PART_POWER] = "power",
                                        [YS_PART_MANUFACTURER] = "manufacturer",
                                        [YS_PART_SERVICE_DATA] = "service data",
                                        [YS_PART_STRUCTURE] = "structure"};
    size_t used = 0;
    text[0] = '\0';
    for (size_t i = 0; i < parts->count && used < size; i++) {
        uint8_t bytes[31];
        struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
        int kind = parts->items[i].kind;
        put_part(design, set, &parts->items[i], &writer);
        int more = snprintf(text + used, size - used, "%s%zu %s", i > 0 ? ", " : "", ys_writer_length(&writer),
                            kind > 0 && (size_t)kind < COUNT(words) ? words[kind] : "");
        used += more > 0 ? (size_t)more : 0;
    }
}

static void check_parts(struct ys_design *design, const struct ys_advertisement *set, bool response)
{
    const struct ys_parts *parts = response ? &set->response : &set->data;
    uint8_t bytes[31];
    struct ys_writer writer = put_parts(design, set, response, bytes, sizeof bytes);
    if (ys_writer_ok(&writer))
        return;
    size_t length = ys_writer_length(&writer);
    if (parts->given) {
        char text[300];
        describe(design, set, parts, text, sizeof text);
        ys_findings_add(&design->findings, YS_ERROR, "payload-too-long", parts->place,
                        "the %s needs %zu bytes (%s) and has 31: leave out %zu, or move a part to the %s",
                        response ? "scan response" : "advertisement", length, text, length - 31,
                        response ? "advertisement" : "scan response");
    } else if (response) {
        ys_findings_add(&design->findings, YS_ERROR, "payload-too-long", design->name.place,
                        "the name needs %zu bytes of the scan response, which has 31 (29 of them for the name): "
                        "shorten it by %zu",
                        length, length - 31);
    } else {
        ys_findings_add(&design->findings, YS_ERROR, "payload-too-long",
                        set->promise_count > 0 ? set->promises[0].place : set->place,
                        "the advertisement needs %zu bytes (3 of flags, the rest for services) and has 31: promise "
                        "fewer services",
                        length);
    }
}

struct ys_advertising ys_advertisement_settings(const struct ys_advertisement *set, const struct ys_payload *payload)
{
    return (struct ys_advertising){
        .interval_min_us = (uint32_t)set->interval_min_us,
        .interval_max_us = (uint32_t)set->interval_max_us,
        .kind = ys_advertisement_kind(set),
        .data_length = (uint8_t)payload->data_length,
        .response_length = (uint8_t)payload->response_length,
        .data = payload->data,
        .response = payload->response,
        .findable = (uint8_t)(set->findable > 0 ? set->findable - 1 : YS_FINDABLE_WHILE_FREE),
        .channels = set->channels,
        .duration_ms = (uint32_t)(set->duration_us.number / 1000),
    };
}

void ys_payload_check(struct ys_design *design, const struct ys_advertisement *set)
{
    check_parts(design, set, false);
    check_parts(design, set, true);
}
