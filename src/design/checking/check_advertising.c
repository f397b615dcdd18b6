/* Checks of advertising: payloads fit, and everything they name exists. */
#include "design/checking/check_advertising.h"

#include <stdlib.h>
#include <string.h>

#include <yarnswift/advertisement.h>

#include "design/checking/check_power.h"
#include "design/checking/check_type.h"
#include "design/checking/check_uuids.h"
#include "design/making/payload.h"
#include "design/model/value_parse.h"
#include "design/reading/catalogue.h"
#include "wire/extended.h"

#define SETS_MOST 16u /* as <yarnswift/config.h> allows them */

static void check_promise(struct ys_design *design, struct ys_promise *promise)
{
    promise->service = ys_service_named(design, promise->name);
    if (promise->service == NULL)
        ys_findings_add(&design->findings, YS_ERROR, "promise-unknown", promise->place,
                        "the advertisement promises \"%s\", which is not among the services: add it, or leave it out",
                        promise->name);
    else if (promise->service->secondary)
        ys_findings_add(&design->findings, YS_ERROR, "promise-unknown", promise->place,
                        "\"%s\" is secondary, and not searched for: remove it", promise->name);
}

static void check_power(struct ys_design *design, struct ys_part *part)
{
    int64_t raw = 0;
    uint8_t bytes[8];
    if (!ys_check_power(design, &part->text, 127, &raw))
        return;
    part->value_length = ys_value_encode(ys_power_type(), raw, bytes);
    part->value = malloc(1);
    if (part->value == NULL)
        abort();
    part->value[0] = bytes[0];
}

/* Parts that are made here, as whole structures. */

static void keep(struct ys_part *part, const struct ys_writer *writer)
{
    part->value_length = ys_writer_stored(writer);
    part->value = malloc(part->value_length + 1);
    if (part->value == NULL)
        abort();
    memcpy(part->value, writer->start, part->value_length);
}

static void make_connection_interval(struct ys_part *part)
{
    uint8_t data[4];
    uint8_t bytes[6];
    struct ys_writer range = ys_writer_to(data, sizeof data);
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    ys_put_u16(&range, (uint16_t)(part->range_us[0] / 1250));
    ys_put_u16(&range, (uint16_t)(part->range_us[1] / 1250));
    ys_put_ad(&writer, YS_AD_CONNECTION_INTERVAL, data, sizeof data);
    keep(part, &writer);
}

/* Two lists, one after the other: of one kind, and of the other. */
static void make_lists(struct ys_part *part, const uint8_t types[2], const struct ys_writer lists[2])
{
    uint8_t bytes[2 * 257];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    for (size_t i = 0; i < 2; i++) {
        if (ys_writer_length(&lists[i]) > 0)
            ys_put_ad(&writer, types[i], lists[i].start, ys_writer_stored(&lists[i]));
    }
    keep(part, &writer);
}

static void list_is_full(struct ys_design *design, const struct ys_part *part, const struct ys_writer lists[2])
{
    if (part->list_count == 0)
        ys_findings_add(&design->findings, YS_ERROR, "payload", part->place, "this list is empty: leave it out");
    else if (!ys_writer_ok(&lists[0]) || !ys_writer_ok(&lists[1]))
        ys_findings_add(&design->findings, YS_ERROR, "payload", part->place,
                        "this list is longer than the 254 bytes of a structure: shorten it");
}

static void make_wanted_services(struct ys_design *design, struct ys_part *part)
{
    static const uint8_t types[] = {YS_AD_WANTED_UUIDS_16, YS_AD_WANTED_UUIDS_128};
    uint8_t bytes[2][254];
    struct ys_writer lists[] = {ys_writer_to(bytes[0], sizeof bytes[0]), ys_writer_to(bytes[1], sizeof bytes[1])};
    for (size_t i = 0; i < part->list_count; i++) {
        const struct ys_written written = {.text = part->list[i].name, .place = part->list[i].place};
        struct ys_uuid uuid = {.length = 0};
        ys_resolve_uuid(design, YS_ADOPTED_SERVICE, &written, written.text, NULL, &uuid);
        if (uuid.length != 0)
            ys_put_uuid(&lists[uuid.length == 16], &uuid);
    }
    list_is_full(design, part, lists);
    make_lists(part, types, lists);
}

static void make_targets(struct ys_design *design, struct ys_part *part)
{
    static const uint8_t types[] = {YS_AD_PUBLIC_TARGETS, YS_AD_RANDOM_TARGETS};
    static const char word[] = "public ";
    uint8_t bytes[2][254];
    struct ys_writer lists[] = {ys_writer_to(bytes[0], sizeof bytes[0]), ys_writer_to(bytes[1], sizeof bytes[1])};
    for (size_t i = 0; i < part->list_count; i++) {
        const char *text = part->list[i].name;
        bool is_public = strncmp(text, word, sizeof word - 1) == 0;
        const char *digits = is_public ? text + sizeof word - 1 : text;
        struct ys_address address = {.type = YS_ADDRESS_RANDOM};
        if (!ys_address_parse(digits, strlen(digits), &address))
            ys_findings_add(&design->findings, YS_ERROR, "address", part->list[i].place,
                            "\"%s\" is no address: write one such as C2:00:5E:10:00:01 or public 00:00:5E:10:00:01",
                            text);
        else
            ys_put_address(&lists[is_public ? 0 : 1], &address);
    }
    list_is_full(design, part, lists);
    make_lists(part, types, lists);
}

/* CSS Part A 1.18: a scheme that is frequent is one character. */
static void make_uri(struct ys_design *design, struct ys_part *part)
{
    static const struct {
        const char *scheme;
        uint8_t code;
    } schemes[] = {{"http:", 0x16}, {"https:", 0x17}, {"", 0x01}};
    const char *text = part->text.text;
    uint8_t data[254];
    uint8_t bytes[256];
    struct ys_writer uri = ys_writer_to(data, sizeof data);
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    size_t i = 0;
    if (text == NULL)
        return;
    while (strncmp(text, schemes[i].scheme, strlen(schemes[i].scheme)) != 0)
        i++;
    ys_put_u8(&uri, schemes[i].code);
    ys_put_text(&uri, text + strlen(schemes[i].scheme));
    if (strchr(text, ':') == NULL)
        ys_findings_add(&design->findings, YS_ERROR, "payload", part->text.place,
                        "\"%s\" is not a URI: begin with a scheme and a colon, such as https:", text);
    else if (!ys_writer_ok(&uri))
        ys_findings_add(&design->findings, YS_ERROR, "payload", part->text.place,
                        "this URI is longer than the 254 bytes of a structure: shorten it");
    ys_put_ad(&writer, YS_AD_URI, data, ys_writer_stored(&uri));
    keep(part, &writer);
}

/* Data in a format of its own; bytes if it says none. */
static void check_data(struct ys_design *design, struct ys_part *part)
{
    static const struct ys_format bytes_format = {.name = "bytes", .kind = YS_FORMAT_BYTES};
    if (part->value_text.text == NULL)
        return;
    if (part->type.format == NULL)
        part->type.format = &bytes_format;
    for (size_t i = 0; i < part->type.field_count; i++) {
        const struct ys_field *field = &part->type.fields[i];
        if (field->order != 0 && field->format != NULL &&
            (field->format->size < 2 || field->format->kind == YS_FORMAT_FLAGS ||
             field->format->kind == YS_FORMAT_PAIR))
            ys_findings_add(&design->findings, YS_ERROR, "order", field->place,
                            "order is of numbers of two bytes and more: leave it out");
    }
    if (ys_check_type(design, &part->type, "a payload", part->place))
        part->value = ys_check_value(design, &part->type, &part->value_text, "a payload", &part->value_length);
}

static void check_part(struct ys_design *design, const struct ys_advertisement *set, struct ys_part *part)
{
    switch (part->kind) {
    case YS_PART_POWER:
        check_power(design, part);
        break;
    case YS_PART_SERVICE_DATA:
        if (part->service.name != NULL)
            check_promise(design, &part->service);
        check_data(design, part);
        break;
    case YS_PART_MANUFACTURER:
    case YS_PART_STRUCTURE:
        check_data(design, part);
        break;
    case YS_PART_CONNECTION_INTERVAL:
        make_connection_interval(part);
        break;
    case YS_PART_WANTED_SERVICES:
        make_wanted_services(design, part);
        break;
    case YS_PART_TARGETS:
        make_targets(design, part);
        break;
    case YS_PART_URI:
        make_uri(design, part);
        break;
    case YS_PART_ROLE:
        if (ys_advertisement_kind(set) != YS_ADVERTISE_CONNECTABLE)
            ys_findings_add(&design->findings, YS_ERROR, "payload", part->place,
                            "this set is not connectable and has no role: remove role");
        break;
    case YS_PART_SERVICES:
    case YS_PART_SOME_SERVICES:
        if (set->promise_count == 0)
            ys_findings_add(&design->findings, YS_ERROR, "payload", part->place,
                            "no services are listed: add services: to this advertising set");
        break;
    case YS_PART_NONE:
        ys_findings_add(&design->findings, YS_ERROR, "payload", part->place,
                        "this part is empty: write a word such as name, or a key such as manufacturer:");
        break;
    default:
        break;
    }
}

/* Each structure may occur once in a payload (CSS Part A 1), except data and bytes, which may occur several times. */
static void check_repeats(struct ys_design *design, const struct ys_parts *parts)
{
    bool seen[YS_PART_MANUFACTURER] = {false};
    for (size_t i = 0; i < parts->count; i++) {
        int kind = parts->items[i].kind;
        if (kind <= YS_PART_NONE || kind >= YS_PART_MANUFACTURER)
            continue;
        if (seen[kind])
            ys_findings_add(&design->findings, YS_ERROR, "payload", parts->items[i].place,
                            "this part is there already: leave it out");
        seen[kind] = true;
    }
}

static bool has_part(const struct ys_parts *parts, enum ys_part_kind kind)
{
    for (size_t i = 0; i < parts->count; i++) {
        if (parts->items[i].kind == (int)kind)
            return true;
    }
    return false;
}

/* What goes with what (Vol 4 Part E 7.8.53). */
static void check_options(struct ys_design *design, struct ys_advertisement *set)
{
    uint8_t kind = ys_advertisement_kind(set);
    int64_t raw = 0;
    const struct {
        bool wrong;
        const char *text;
    } rules[] = {
        {set->anonymous && kind != YS_ADVERTISE_BEACON,
         "an anonymous set cannot be scannable or connectable: use kind: beacon, or remove anonymous"},
        {!set->extended && (set->anonymous || set->include_power || set->phy > 1 || set->primary_phy > 1 ||
                            set->events.given || set->set_id.given),
         "anonymous, phy, primary phy, sid, include power and events need extended: true"},
        {set->primary_phy == YS_SAID_2M, "the primary PHY is 1M or coded, never 2M"},
        {set->extended && kind == YS_ADVERTISE_SCANNABLE && set->data.given,
         "a scannable extended set has its data in the response: remove data"},
        {set->extended && kind != YS_ADVERTISE_SCANNABLE && set->response.given,
         "an extended set that cannot be asked has no response: put all into data"},
        {set->report_scan_requests &&
             (kind == YS_ADVERTISE_BEACON || (set->extended && kind == YS_ADVERTISE_CONNECTABLE)),
         "a beacon and a connectable extended set get no scan requests: remove report scan requests"},
    };
    for (size_t i = 0; i < sizeof rules / sizeof rules[0]; i++) {
        if (rules[i].wrong)
            ys_findings_add(&design->findings, YS_ERROR, "extended", set->options_place, "%s", rules[i].text);
    }
    if (ys_check_power(design, &set->power, 20, &raw))
        set->power_dbm = (int8_t)raw;
    if (!set->extended && set->interval_max_us > 10240000)
        ys_findings_add(&design->findings, YS_ERROR, "interval", set->interval_place,
                        "the advertising interval must be from 20 ms to 10.24 s, or with extended: true up to 71 min, "
                        "the minimum first");
}

static enum ys_phy phy_of(int word)
{
    static const enum ys_phy phys[] = {YS_PHY_1M, YS_PHY_1M, YS_PHY_2M, YS_PHY_CODED_S8};
    return phys[word];
}

/* From the first packet of an event to the last, if it is asked (Vol 6 Part B 4.4.2.2). */
static uint64_t event_us(const struct ys_design *design, const struct ys_advertisement *set)
{
    static const uint64_t tuning_ns = 150000;
    const struct ys_link_extended first = {.type = YS_LINK_ADV_EXTENDED,
                                           .has_sender = !set->anonymous,
                                           .has_data_id = true,
                                           .has_power = set->include_power};
    const struct ys_link_extended pointer = {.type = YS_LINK_ADV_EXTENDED, .has_data_id = true, .has_aux = true};
    struct ys_payload payload = ys_payload_compose(design, set);
    uint64_t primary_ns =
        ys_link_duration_ns(phy_of(set->primary_phy), 2 + YS_LINK_EXTENDED_MAX - ys_link_extended_room(&pointer));
    unsigned channels =
        set->channels == 0 ? 3 : (set->channels & 1u) + (set->channels >> 1 & 1u) + (set->channels >> 2);
    uint64_t sum_ns = channels * primary_ns + (channels - 1) * tuning_ns +
                      ys_link_chain_ns(phy_of(set->phy), &first, payload.data_length);
    if (ys_advertisement_kind(set) == YS_ADVERTISE_SCANNABLE)
        sum_ns += ys_link_chain_ns(phy_of(set->phy), &first, payload.response_length);
    return sum_ns / 1000;
}

static void check_event(struct ys_design *design, const struct ys_advertisement *set)
{
    if (!set->extended)
        return;
    uint64_t us = event_us(design, set);
    if (us > set->interval_min_us)
        ys_findings_add(&design->findings, YS_ERROR, "extended", set->interval_place,
                        "an event of this takes %.1f ms on the air: take a longer interval, another phy, or less data",
                        (double)us / 1000);
}

static void check_set(struct ys_design *design, struct ys_advertisement *set)
{
    bool by_hand = set->data.given || set->response.given;
    for (size_t i = 0; i < set->promise_count; i++)
        check_promise(design, &set->promises[i]);
    check_options(design, set);
    for (size_t i = 0; i < set->data.count; i++)
        check_part(design, set, &set->data.items[i]);
    for (size_t i = 0; i < set->response.count; i++)
        check_part(design, set, &set->response.items[i]);
    check_repeats(design, &set->data);
    check_repeats(design, &set->response);
    if (ys_advertisement_kind(set) == YS_ADVERTISE_BEACON && set->response.given)
        ys_findings_add(&design->findings, YS_ERROR, "payload", set->response.place,
                        "a beacon has no scan response: remove it, or use kind: scannable");
    if (set->findable != 0 && ys_advertisement_kind(set) != YS_ADVERTISE_CONNECTABLE)
        ys_findings_add(&design->findings, YS_ERROR, "findable", set->findable_place,
                        "this set is not connectable: remove findable");
    if (by_hand && set->promise_count > 0 && !has_part(&set->data, YS_PART_SERVICES) &&
        !has_part(&set->response, YS_PART_SERVICES) && !has_part(&set->data, YS_PART_SOME_SERVICES) &&
        !has_part(&set->response, YS_PART_SOME_SERVICES))
        ys_findings_add(&design->findings, YS_ERROR, "payload", set->promises[0].place,
                        "these services are in neither data nor response: add services to one of them");
    if (has_part(&set->response, YS_PART_FLAGS)) /* CSS Part A 1.3.1 */
        ys_findings_add(&design->findings, YS_ERROR, "payload", set->response.place,
                        "flags belong in the advertisement: remove them from the scan response");
    if (by_hand && ys_advertisement_kind(set) == YS_ADVERTISE_CONNECTABLE && !has_part(&set->data, YS_PART_FLAGS))
        ys_findings_add(&design->findings, YS_WARNING, "payload", set->data.given ? set->data.place : set->place,
                        "without flags, the device is not discoverable: add flags to data");
    if (set->faulty)
        return;
    size_t errors = design->findings.errors;
    ys_payload_check(design, set);
    if (design->findings.errors == errors)
        check_event(design, set);
}

static void check_set_names(struct ys_design *design)
{
    if (design->set_count > SETS_MOST)
        ys_findings_add(&design->findings, YS_ERROR, "limits", design->sets[SETS_MOST].place,
                        "this is advertising set number %u: a host has at most %u", SETS_MOST + 1, SETS_MOST);
    for (size_t i = 0; i < design->set_count && i < SETS_MOST; i++) {
        const struct ys_advertisement *set = &design->sets[i];
        for (size_t j = 0; j < i; j++) {
            const struct ys_advertisement *other = &design->sets[j];
            if (set->id == NULL && other->id == NULL)
                ys_findings_add(&design->findings, YS_ERROR, "name-clash", set->place,
                                "two ways to advertise have no name: name one");
            else if (set->id != NULL && other->id != NULL && strcmp(set->id, other->id) == 0)
                ys_findings_add(&design->findings, YS_ERROR, "name-clash", set->place,
                                "the advertising \"%s\" has the same name in C as another: rename one", set->name);
        }
    }
}

/* Each expectation is about one way to advertise. */
static void check_expectations(struct ys_design *design)
{
    for (size_t i = 0; i < design->expectation_count; i++) {
        struct ys_expectation *expectation = &design->expectations[i];
        const char *wanted = expectation->set_text.text;
        size_t at = 0;
        while (wanted != NULL && at < design->set_count &&
               (design->sets[at].name == NULL || strcmp(design->sets[at].name, wanted) != 0))
            at++;
        if (at < design->set_count)
            expectation->set = design->sets[at].name;
        else if (wanted != NULL)
            ys_findings_add(&design->findings, YS_ERROR, "expect", expectation->set_text.place,
                            "unknown advertising set \"%s\": use a name from advertising:", wanted);
    }
}

void ys_check_unpromised(struct ys_design *design)
{
    for (size_t i = 0; i < design->service_count && design->set_count > 0; i++) {
        const struct ys_service *service = &design->services[i];
        bool promised = service->implied || service->secondary || service->name == NULL;
        for (size_t j = 0; j < design->set_count; j++) {
            for (size_t k = 0; k < design->sets[j].promise_count; k++)
                promised |= design->sets[j].promises[k].service == service;
        }
        if (!promised)
            ys_findings_add(&design->findings, YS_ADVICE, "not-promised", service->place,
                            "\"%s\" is not advertised: a central that looks for it by its UUID will not find this "
                            "device",
                            service->name);
    }
}

void ys_check_advertising(struct ys_design *design)
{
    if (design->set_count == 0 && !design->scanning.given)
        ys_findings_add(
            &design->findings, YS_WARNING, "not-advertised", (struct ys_place){.line = 1, .column = 1},
            "no central can find this device: add advertising: with an interval; or, for a central, scanning:");
    for (size_t i = 0; i < design->set_count; i++)
        check_set(design, &design->sets[i]);
    check_set_names(design);
    check_expectations(design);
}
