/* Checks of a definition as a whole: its device, and its services. */
#include "design/checking/check.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "design/checking/check_advertising.h"
#include "design/checking/check_behaviour.h"
#include "design/checking/check_characteristic.h"
#include "design/checking/check_link.h"
#include "design/checking/check_names.h"
#include "design/checking/check_scanning.h"
#include "design/checking/check_security.h"
#include "design/checking/check_uuids.h"
#include "design/making/hash.h"
#include "design/making/layout.h"
#include "design/making/payload.h"
#include "design/model/words.h"
#include "design/reading/catalogue.h"
#include "design/reading/use.h"

#define NAMES_MOST           64
#define SERVICES_MOST        1000
#define CHARACTERISTICS_MOST 5000
#define NOTIFIABLES_MOST     1024u /* as <yarnswift/config.h> allows them */

/* adopted services */

static bool has_characteristic(const struct ys_service *service, const struct ys_adopted *adopted)
{
    for (size_t i = 0; i < service->characteristic_count; i++) {
        if (ys_uuid_number(&service->characteristics[i].uuid) == adopted->number)
            return true;
    }
    return false;
}

static void check_mandatory(struct ys_design *design, const struct ys_service *service,
                            const struct ys_adopted *adopted)
{
    for (size_t i = 0; i < adopted->part_count; i++) {
        const struct ys_adopted *part = ys_adopted_by_name(YS_ADOPTED_CHARACTERISTIC, adopted->parts[i].name);
        if (adopted->parts[i].mandatory && !has_characteristic(service, part))
            ys_findings_add(&design->findings, YS_WARNING, "mandatory-missing", service->place,
                            "the service %s must have the characteristic %s (0x%04X): add it", adopted->name,
                            part->name, part->number);
    }
}

/* Properties that the service asks for, and those that it excludes. */
static void check_part_properties(struct ys_design *design, const struct ys_adopted *adopted,
                                  const struct ys_characteristic *characteristic)
{
    const struct ys_has *part = ys_adopted_part(adopted, ys_uuid_number(&characteristic->uuid));
    if (part == NULL || !part->knows)
        return;
    for (int way = 0; way < YS_WAYS; way++) {
        uint8_t property = ys_ways[way].property;
        bool offered = ys_offers(characteristic, (enum ys_way)way);
        if (offered && ((part->must | part->may) & property) == 0)
            ys_findings_add(&design->findings, YS_WARNING, "property-excluded", characteristic->ways[way].place,
                            "in the service %s, %s must not offer %s: leave it out", adopted->name, part->name,
                            ys_ways[way].name);
        else if (!offered && (part->must & property) != 0)
            ys_findings_add(&design->findings, YS_WARNING, "mandatory-missing", characteristic->place,
                            "in the service %s, %s must offer %s: add it", adopted->name, part->name,
                            ys_ways[way].name);
    }
}

static void check_adopted_service(struct ys_design *design, const struct ys_service *service)
{
    const struct ys_adopted *adopted = ys_find_adopted(YS_ADOPTED_SERVICE, &service->uuid);
    if (adopted == NULL || service->uuid.length != 2) /* a long form has been said to be wrong */
        return;
    check_mandatory(design, service, adopted);
    for (size_t i = 0; i < service->characteristic_count; i++)
        check_part_properties(design, adopted, &service->characteristics[i]);
}

/* included services */

static bool is_included(const struct ys_design *design, const struct ys_service *service)
{
    for (size_t i = 0; i < design->service_count; i++) {
        for (size_t j = 0; j < design->services[i].include_count; j++) {
            if (design->services[i].includes[j].service == service)
                return true;
        }
    }
    return false;
}

/* Core 5.4 Vol 3 Part G 2.6.3: a service may include others, but not itself by whatever way. */
static bool reaches(const struct ys_service *from, const struct ys_service *service, size_t steps)
{
    for (size_t i = 0; i < from->include_count && steps > 0; i++) {
        if (from->includes[i].service == service ||
            (from->includes[i].service != NULL && reaches(from->includes[i].service, service, steps - 1)))
            return true;
    }
    return false;
}

static void check_includes(struct ys_design *design)
{
    for (size_t i = 0; i < design->service_count; i++) {
        struct ys_service *service = &design->services[i];
        for (size_t j = 0; j < service->include_count; j++) {
            service->includes[j].service = ys_service_named(design, service->includes[j].name);
            if (service->includes[j].service == NULL)
                ys_findings_add(&design->findings, YS_ERROR, "include", service->includes[j].place,
                                "\"%s\" is not among the services: add it, or leave it out", service->includes[j].name);
        }
    }
    for (size_t i = 0; i < design->service_count; i++) {
        struct ys_service *service = &design->services[i];
        if (service->include_count > 0 && reaches(service, service, 8))
            ys_findings_add(&design->findings, YS_ERROR, "include", service->includes[0].place,
                            "\"%s\" includes itself, directly or indirectly: remove that", service->name);
        else if (service->secondary && !is_included(design, service))
            ys_findings_add(&design->findings, YS_WARNING, "include", service->place,
                            "\"%s\" is secondary, and no service includes it: no client will find it", service->name);
    }
}

/* the device */

/* By number, or by an adopted name. */
static void check_appearance(struct ys_design *design)
{
    const char *text = design->appearance_text.text;
    char *end = NULL;
    if (text == NULL)
        return;
    const struct ys_adopted *adopted = ys_adopted_by_name(YS_ADOPTED_APPEARANCE, text);
    unsigned long number = strtoul(text, &end, strncmp(text, "0x", 2) == 0 ? 16 : 10);
    const char *names[NAMES_MOST];
    const char *nearest = ys_word_nearest(text, names, ys_adopted_names(YS_ADOPTED_APPEARANCE, names, NAMES_MOST));
    if (adopted != NULL)
        design->appearance = adopted->number;
    else if (text[0] >= '0' && text[0] <= '9' && *end == '\0' && number <= UINT16_MAX)
        design->appearance = (uint16_t)number;
    else if (nearest != NULL)
        ys_findings_add(&design->findings, YS_ERROR, "word-unknown", design->appearance_text.place,
                        "appearance is not known: \"%s\"; did you mean \"%s\"?", text, nearest);
    else
        ys_findings_add(&design->findings, YS_ERROR, "number", design->appearance_text.place,
                        "appearance must be an adopted name, or a whole number from 0 to 65535, not \"%s\"", text);
}

/* Core 5.4 Vol 6 Part B 1.3.2.1: a static address has its two highest bits set, and not all others alike. */
static bool is_static(const struct ys_address *address)
{
    bool ones = true;
    bool zeros = true;
    for (size_t i = 0; i < 6; i++) {
        uint8_t mask = i == 5 ? 0x3f : 0xff;
        ones &= (address->bytes[i] & mask) == mask;
        zeros &= (address->bytes[i] & mask) == 0;
    }
    return (address->bytes[5] & 0xc0) == 0xc0 && !ones && !zeros;
}

static void check_address(struct ys_design *design)
{
    const char *text = design->address_text.text;
    if (text == NULL || strcmp(text, "random") == 0)
        return;
    design->public_address = strcmp(text, "public") == 0;
    design->private_address = strcmp(text, "non-resolvable") == 0;
    for (size_t i = 0; design->private_address && i < design->set_count; i++) {
        if (ys_advertisement_kind(&design->sets[i]) == YS_ADVERTISE_CONNECTABLE) /* Vol 3 Part C 10.8.1 */
            ys_findings_add(
                &design->findings, YS_ERROR, "address", design->address_text.place,
                "a connectable device needs a stable address: use random or public, or advertise as a beacon only");
    }
    if (design->public_address || design->private_address)
        return;
    design->address.type = YS_ADDRESS_RANDOM;
    design->has_address = ys_address_parse(text, strlen(text), &design->address);
    design->address.type = YS_ADDRESS_RANDOM;
    static const char *const words[] = {"random", "public", "non-resolvable"};
    const char *nearest = ys_word_nearest(text, words, 3);
    if (!design->has_address && nearest != NULL)
        ys_findings_add(&design->findings, YS_ERROR, "word-unknown", design->address_text.place,
                        "address is not known: \"%s\"; did you mean \"%s\"?", text, nearest);
    else if (!design->has_address)
        ys_findings_add(
            &design->findings, YS_ERROR, "address", design->address_text.place,
            "address must be random, public, non-resolvable, or six pairs of hexadecimal digits, not \"%s\"", text);
    else if (!is_static(&design->address))
        ys_findings_add(&design->findings, YS_ERROR, "address", design->address_text.place,
                        "\"%s\" is no static address: its first digit must be C, D, E or F, and its bits not all "
                        "alike",
                        text);
}

static void check_device(struct ys_design *design)
{
    if (design->name.text != NULL && strlen(design->name.text) > 248) /* Vol 3 Part C 12.1 */
        ys_findings_add(&design->findings, YS_ERROR, "name-too-long", design->name.place,
                        "the name is %zu bytes long: a device name has at most 248", strlen(design->name.text));
    check_appearance(design);
    check_address(design);
}

/* What is only seen well once nothing is wrong. */
static void check_again(struct ys_design *design)
{
    for (size_t i = 0; i < design->service_count; i++) {
        if (!design->services[i].implied)
            check_adopted_service(design, &design->services[i]);
        for (size_t j = 0; j < design->services[i].characteristic_count; j++) {
            ys_check_advice(design, &design->services[i].characteristics[j]);
            ys_check_across_services(design, i, j);
        }
    }
    ys_check_unpromised(design);
}

/* The database hash is the value of a characteristic, and not part of itself. */
static void fill_hash(struct ys_design *design, const struct ys_layout *layout)
{
    for (size_t i = 0; i < design->services[1].characteristic_count; i++) {
        struct ys_characteristic *one = &design->services[1].characteristics[i];
        if (ys_uuid_number(&one->uuid) == 0x2b2a)
            (void)ys_layout_hash(layout, one->value);
    }
}

/* What no configuration of the host has room for. */
static void check_counts(struct ys_design *design, const struct ys_layout *layout)
{
    for (size_t i = 0; i < layout->count && layout->notifiable_count > NOTIFIABLES_MOST; i++) {
        if (layout->rows[i].kind == YS_ATTRIBUTE_VALUE && layout->rows[i].notifiable == NOTIFIABLES_MOST)
            ys_findings_add(&design->findings, YS_ERROR, "limits", layout->rows[i].characteristic->place,
                            "\"%s\" is the %uth that notifies or indicates: a host has at most %u",
                            layout->rows[i].characteristic->name, NOTIFIABLES_MOST + 1, NOTIFIABLES_MOST);
    }
}

/* More than any device has would be compared for long. */
static bool is_too_much(struct ys_design *design)
{
    size_t characteristics = 0;
    for (size_t i = 0; i < design->service_count; i++) {
        const struct ys_service *service = &design->services[i];
        characteristics += service->characteristic_count;
        if (i < SERVICES_MOST && characteristics <= CHARACTERISTICS_MOST)
            continue;
        ys_findings_add(&design->findings, YS_ERROR, "limits", service->place,
                        "the definition has more than %d services or %d characteristics: that is too much to check",
                        SERVICES_MOST, CHARACTERISTICS_MOST);
        return true;
    }
    return false;
}

void ys_design_check(struct ys_design *design)
{
    if (is_too_much(design))
        return;
    check_device(design);
    ys_use_settle(design);
    for (size_t i = 0; i < design->service_count; i++) {
        struct ys_service *service = &design->services[i];
        if (!service->implied)
            ys_resolve_uuid(design, YS_ADOPTED_SERVICE, &service->uuid_text, service->name, NULL, &service->uuid);
        for (size_t j = 0; j < service->characteristic_count && !service->implied; j++)
            ys_check_characteristic(design, service, j);
    }
    ys_check_service_uuids(design);
    ys_check_names(design);
    check_includes(design);
    ys_check_security(design);
    ys_check_link(design);
    ys_check_scanning(design);
    ys_check_advertising(design);
    if (design->findings.errors == 0) {
        struct ys_layout *layout = ys_layout_new(design);
        if (layout != NULL) {
            check_counts(design, layout);
            ys_check_identifiers(design, layout);
        }
        if (design->findings.errors == 0)
            ys_check_behaviours(design);
        if (design->findings.errors == 0)
            check_again(design);
        if (layout != NULL)
            fill_hash(design, layout);
        ys_layout_free(layout);
    }
}
