/* UUIDs of a definition: written UUIDs are resolved, and each must be unique. */
#include "design/checking/check_uuids.h"

#include <stdlib.h>
#include <string.h>

#include "design/model/words.h"
#include "design/reading/catalogue.h"

#define NAMES_MOST 256

/* Reads "+N", as a number to be added to the service's UUID. */
static bool parse_offset(const char *text, uint32_t *offset)
{
    char *end;
    if (text[0] != '+' || text[1] < '0' || text[1] > '9')
        return false;
    unsigned long value = strtoul(text + 1, &end, strncmp(text + 1, "0x", 2) == 0 ? 16 : 10);
    *offset = (uint32_t)value;
    return *end == '\0' && value <= 0xffff;
}

static void unknown_uuid(struct ys_design *design, struct ys_place place, enum ys_adopted_kind kind, const char *text)
{
    const char *names[NAMES_MOST];
    const char *nearest = ys_word_nearest(text, names, ys_adopted_names(kind, names, NAMES_MOST));
    if (nearest != NULL)
        ys_findings_add(&design->findings, YS_ERROR, "uuid-unknown", place,
                        "no adopted UUID is named \"%s\"; did you mean \"%s\"?", text, nearest);
    else
        ys_findings_add(&design->findings, YS_ERROR, "uuid-unknown", place,
                        "\"%s\" is no UUID: write an adopted name, 0x180F, 128 bits as 8-4-4-4-12 digits%s", text,
                        kind == YS_ADOPTED_CHARACTERISTIC ? ", or an offset such as +1" : "");
}

const struct ys_adopted *ys_find_adopted(enum ys_adopted_kind kind, const struct ys_uuid *uuid)
{
    return ys_uuid_is_adopted(uuid) ? ys_adopted_by_number(kind, ys_uuid_number(uuid)) : NULL;
}

void ys_resolve_uuid(struct ys_design *design, enum ys_adopted_kind kind, const struct ys_written *written,
                     const char *name, const struct ys_uuid *base, struct ys_uuid *uuid)
{
    const char *text = written->text;
    struct ys_place place = written->place;
    uint32_t offset = 0;
    if (text == NULL && name == NULL)
        return;
    const struct ys_adopted *adopted = ys_adopted_by_name(kind, text != NULL ? text : name);
    if (adopted != NULL) {
        *uuid = ys_uuid_of(adopted->number);
    } else if (text == NULL) {
        ys_findings_add(&design->findings, YS_ERROR, "uuid-missing", place,
                        "\"%s\" is no adopted name and has no uuid: add a uuid of its own%s", name,
                        base != NULL ? ", or an offset such as +1" : "");
    } else if (base != NULL && parse_offset(text, &offset)) {
        if (base->length == 16)
            *uuid = ys_uuid_plus(base, offset);
        else if (base->length != 0)
            ys_findings_add(&design->findings, YS_ERROR, "uuid-offset", place,
                            "an offset needs a service with a 128-bit UUID: write the whole UUID");
    } else if (ys_uuid_parse(text, strlen(text), uuid)) {
        if (uuid->length == 4) /* ATT knows no 32-bit UUIDs: Core 5.4 Vol 3 Part F 3.2.1 */
            *uuid = ys_uuid_in_full(uuid);
    } else {
        unknown_uuid(design, place, kind, text);
    }
    if (uuid->length == 16 && ys_uuid_is_adopted(uuid))
        ys_findings_add(&design->findings, YS_ERROR, "uuid-reserved", place,
                        "this UUID lies in the range that the standard keeps for itself: draw a random one");
}

void ys_check_service_uuids(struct ys_design *design)
{
    for (size_t i = 0; i < design->service_count; i++) {
        const struct ys_service *service = &design->services[i];
        for (size_t j = 0; j < i && service->uuid.length != 0; j++) {
            if (design->services[j].uuid.length == 0 || !ys_uuid_is_equal(&service->uuid, &design->services[j].uuid))
                continue;
            if (design->services[j].implied)
                ys_findings_add(&design->findings, YS_ERROR, "service-implied", service->uuid_text.place,
                                "the service \"%s\" is made from device: leave it out", design->services[j].name);
            else
                ys_findings_add(&design->findings, YS_ERROR, "uuid-duplicate", service->uuid_text.place,
                                "this is also the UUID of the service \"%s\": give each its own",
                                design->services[j].name);
            break;
        }
    }
}

void ys_check_characteristic_uuid(struct ys_design *design, const struct ys_service *service, size_t index)
{
    const struct ys_characteristic *characteristic = &service->characteristics[index];
    for (size_t i = 0; i < index && characteristic->uuid.length != 0; i++) {
        const struct ys_characteristic *other = &service->characteristics[i];
        if (other->uuid.length != 0 && other->name != NULL && ys_uuid_is_equal(&characteristic->uuid, &other->uuid)) {
            ys_findings_add(&design->findings, YS_ERROR, "uuid-duplicate", characteristic->uuid_text.place,
                            "this is also the UUID of \"%s\": give each characteristic its own", other->name);
            return;
        }
    }
}

void ys_check_across_services(struct ys_design *design, size_t service, size_t index)
{
    const struct ys_characteristic *one = &design->services[service].characteristics[index];
    for (size_t i = 0; i < service && one->uuid.length == 16; i++) {
        for (size_t j = 0; j < design->services[i].characteristic_count; j++) {
            const struct ys_characteristic *other = &design->services[i].characteristics[j];
            if (!ys_uuid_is_equal(&one->uuid, &other->uuid))
                continue;
            ys_findings_add(&design->findings, YS_WARNING, "uuid-duplicate", one->uuid_text.place,
                            "this is also the UUID of \"%s\" in the service \"%s\": give each its own", other->name,
                            design->services[i].name);
            return;
        }
    }
}
