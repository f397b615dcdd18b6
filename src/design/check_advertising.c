/* Advertising: what is promised is there, and what is sent fits. */
#include <stdlib.h>
#include <string.h>

#include "design/check.h"
#include "design/payload.h"
#include "design/value.h"
#include "design/words.h"

struct ys_service *ys_service_named(const struct ys_design *design, const char *name)
{
    for (size_t i = 0; i < design->service_count; i++) {
        if (design->services[i].name != NULL && ys_word_is_equal(design->services[i].name, name))
            return &design->services[i];
    }
    return NULL;
}

static void check_promise(struct ys_design *design, struct ys_promise *promise)
{
    promise->service = ys_service_named(design, promise->name);
    if (promise->service == NULL)
        ys_findings_add(&design->findings, YS_ERROR, "promise-unknown", promise->place,
                        "the advertisement promises \"%s\", which is not among the services: add it, or leave it out",
                        promise->name);
    else if (promise->service->secondary)
        ys_findings_add(&design->findings, YS_ERROR, "promise-unknown", promise->place,
                        "\"%s\" is secondary, which nobody looks for: leave it out", promise->name);
}

/* A power as it is sent: a signed byte in dBm (CSS Part A 1.5). */
static const struct ys_field *power_type(void)
{
    static char name[] = "dBm";
    static struct ys_unit dbm = {.symbol = name, .name = name};
    static struct ys_field field;
    field.format = ys_format_find("sint8");
    field.unit = &dbm;
    return &field;
}

static void check_power(struct ys_design *design, struct ys_part *part)
{
    const char *problem = NULL;
    int64_t raw = 0;
    uint8_t bytes[8];
    if (part->text.text == NULL)
        return;
    if (!ys_value_parse_raw(power_type(), part->text.text, &raw, &problem) || raw < -127 || raw > 127) {
        ys_findings_add(&design->findings, YS_ERROR, "payload", part->text.place,
                        "a power must be whole dBm from -127 to 127, such as -4 dBm, not \"%s\"", part->text.text);
        return;
    }
    part->value_length = ys_value_encode(power_type(), raw, bytes);
    part->value = malloc(1);
    if (part->value == NULL)
        abort();
    part->value[0] = bytes[0];
}

/* Data in a format of its own; bytes if it says none. */
static void check_data(struct ys_design *design, struct ys_part *part)
{
    static const struct ys_format bytes_format = {.name = "bytes", .kind = YS_FORMAT_BYTES};
    if (part->value_text.text == NULL)
        return;
    if (part->type.format == NULL)
        part->type.format = &bytes_format;
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
    case YS_PART_SERVICES:
        if (set->promise_count == 0)
            ys_findings_add(&design->findings, YS_ERROR, "payload", part->place,
                            "there are no services to tell of: list them as services: of this advertising");
        break;
    case YS_PART_NONE:
        ys_findings_add(&design->findings, YS_ERROR, "payload", part->place,
                        "this part says nothing: write a word such as name, or a key such as manufacturer:");
        break;
    default:
        break;
    }
}

/* Each structure belongs into a payload once (CSS Part A 1), but for data and bytes that may come several times. */
static void check_repeats(struct ys_design *design, const struct ys_parts *parts)
{
    for (size_t i = 1; i < parts->count; i++) {
        for (size_t j = 0; j < i; j++) {
            int kind = parts->items[i].kind;
            if (kind == parts->items[j].kind && kind > YS_PART_NONE && kind < YS_PART_MANUFACTURER)
                ys_findings_add(&design->findings, YS_ERROR, "payload", parts->items[i].place,
                                "this part is there already: leave it out");
        }
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

static void check_set(struct ys_design *design, struct ys_advertisement *set)
{
    bool by_hand = set->data.given || set->response.given;
    for (size_t i = 0; i < set->promise_count; i++)
        check_promise(design, &set->promises[i]);
    for (size_t i = 0; i < set->data.count; i++)
        check_part(design, set, &set->data.items[i]);
    for (size_t i = 0; i < set->response.count; i++)
        check_part(design, set, &set->response.items[i]);
    check_repeats(design, &set->data);
    check_repeats(design, &set->response);
    if (ys_advertisement_kind(set) == YS_ADVERTISE_BEACON && set->response.given)
        ys_findings_add(&design->findings, YS_ERROR, "payload", set->response.place,
                        "nobody can ask a beacon for a scan response: leave it out, or make it kind: scannable");
    if (set->findable != 0 && ys_advertisement_kind(set) != YS_ADVERTISE_CONNECTABLE)
        ys_findings_add(&design->findings, YS_ERROR, "findable", set->findable_place,
                        "findable is about connections, and nobody can connect to this: leave it out");
    if (by_hand && set->promise_count > 0 && !has_part(&set->data, YS_PART_SERVICES) &&
        !has_part(&set->response, YS_PART_SERVICES))
        ys_findings_add(&design->findings, YS_ERROR, "payload", set->promises[0].place,
                        "these services stand in neither data nor response: add services to one of them");
    if (has_part(&set->response, YS_PART_FLAGS)) /* CSS Part A 1.3.1 */
        ys_findings_add(&design->findings, YS_ERROR, "payload", set->response.place,
                        "flags stand in the advertisement only: leave them out of the scan response");
    if (by_hand && ys_advertisement_kind(set) == YS_ADVERTISE_CONNECTABLE && !has_part(&set->data, YS_PART_FLAGS))
        ys_findings_add(&design->findings, YS_WARNING, "payload", set->data.given ? set->data.place : set->place,
                        "an advertisement without flags says that the device is not to be found: add flags to data");
    if (!set->faulty)
        ys_payload_check(design, set);
}

static void check_set_names(struct ys_design *design)
{
    for (size_t i = 0; i < design->set_count; i++) {
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
    if (design->set_count == 0)
        ys_findings_add(&design->findings, YS_WARNING, "not-advertised", (struct ys_place){.line = 1, .column = 1},
                        "nobody can find this device: add advertising: with an interval");
    for (size_t i = 0; i < design->set_count; i++)
        check_set(design, &design->sets[i]);
    check_set_names(design);
}
