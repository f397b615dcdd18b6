/* Names and meanings. An attribute is known by its UUID from the traffic, if that was seen, and otherwise by its handle
 * in the definition. */
#include "world/glossary.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "design/making/explain.h"
#include "design/making/value_unknown.h"
#include "design/model/value.h"
#include "design/reading/catalogue.h"

struct entry {
    const char *who;
    const struct ys_design *design;
    const struct ys_layout *layout;
};

/* A UUID as text, for what has no name. */
struct nameless {
    struct ys_uuid uuid;
    char text[YS_UUID_TEXT_SIZE];
    struct nameless *next;
};

struct ys_names {
    struct entry *entries;
    size_t count;
    struct nameless *nameless;
    uint64_t misfits;
    char misfit[400];
};

struct ys_names *ys_names_new(void)
{
    return calloc(1, sizeof(struct ys_names));
}

void ys_names_free(struct ys_names *names)
{
    if (names == NULL)
        return;
    while (names->nameless != NULL) {
        struct nameless *next = names->nameless->next;
        free(names->nameless);
        names->nameless = next;
    }
    free(names->entries);
    free(names);
}

bool ys_names_add(struct ys_names *names, const char *who, const struct ys_design *design,
                  const struct ys_layout *layout)
{
    struct entry *grown = realloc(names->entries, (names->count + 1) * sizeof *grown);
    if (grown == NULL)
        return false;
    names->entries = grown;
    names->entries[names->count++] = (struct entry){.who = who, .design = design, .layout = layout};
    return true;
}

/* Which definition a server has: that of its name, or the only one. */
static const struct entry *entry_of(const struct ys_names *names, const struct ys_party *server)
{
    for (size_t i = 0; i < names->count && server != NULL; i++) {
        const struct entry *entry = &names->entries[i];
        const char *name = entry->who != NULL ? entry->who : entry->design->name.text;
        if (name != NULL && (strcmp(name, server->name) == 0 || strcmp(name, server->advertised) == 0))
            return entry;
    }
    /* who has a name of its own in the capture is another device */
    bool other = server != NULL && server->named == 2 && names->count > 0 && names->entries->who != NULL;
    return names->count == 1 && !other ? names->entries : NULL;
}

static const char *text_of(struct ys_names *names, const struct ys_uuid *uuid)
{
    for (struct nameless *one = names->nameless; one != NULL; one = one->next) {
        if (ys_uuid_is_equal(&one->uuid, uuid))
            return one->text;
    }
    struct nameless *one = calloc(1, sizeof *one);
    if (one == NULL)
        return NULL;
    one->uuid = *uuid;
    (void)ys_uuid_format(uuid, one->text);
    one->next = names->nameless;
    names->nameless = one;
    return one->text;
}

static const struct ys_adopted *adopted_of(enum ys_adopted_kind kind, const struct ys_uuid *uuid)
{
    return ys_uuid_is_adopted(uuid) ? ys_adopted_by_number(kind, ys_uuid_number(uuid)) : NULL;
}

static const char *service_name(struct ys_names *names, const struct ys_uuid *uuid)
{
    for (size_t i = 0; i < names->count; i++) {
        const struct ys_design *design = names->entries[i].design;
        for (size_t j = 0; j < design->service_count; j++) {
            if (ys_uuid_is_equal(&design->services[j].uuid, uuid))
                return design->services[j].name;
        }
    }
    const struct ys_adopted *adopted = adopted_of(YS_ADOPTED_SERVICE, uuid);
    return adopted != NULL ? adopted->name : NULL;
}

static bool is_alike(const struct ys_characteristic *one, const struct ys_characteristic *other)
{
    return one->type.format == other->type.format && one->type.length.number == other->type.length.number &&
           one->type.exponent == other->type.exponent && one->spacing_us.number == other->spacing_us.number;
}

/* Of any definition, unless they say different things of it. */
static const struct ys_characteristic *find_characteristic(const struct ys_names *names, const struct ys_uuid *uuid)
{
    const struct ys_characteristic *found = NULL;
    for (size_t i = 0; i < names->count; i++) {
        const struct ys_design *design = names->entries[i].design;
        for (size_t j = 0; j < design->service_count; j++) {
            const struct ys_service *service = &design->services[j];
            for (size_t k = 0; k < service->characteristic_count; k++) {
                const struct ys_characteristic *one = &service->characteristics[k];
                if (!ys_uuid_is_equal(&one->uuid, uuid))
                    continue;
                if (found != NULL && !is_alike(found, one))
                    return NULL;
                found = one;
            }
        }
    }
    return found;
}

/* What a definition has of a handle, if that is what the device has told. */
static const struct ys_characteristic *characteristic_at(const struct entry *entry, const struct ys_told *owner)
{
    if (entry == NULL || owner->handle > entry->layout->count)
        return NULL;
    const struct ys_row *row = &entry->layout->rows[owner->handle - 1];
    bool same = row->kind == YS_ATTRIBUTE_VALUE && ys_uuid_is_equal(&row->uuid, &owner->uuid);
    return same ? row->characteristic : NULL;
}

static const char *descriptor_name(const struct ys_uuid *uuid)
{
    if (ys_uuid_number(uuid) == 0x2902)
        return YS_MEANING_SUBSCRIPTION;
    const struct ys_adopted *adopted = adopted_of(YS_ADOPTED_DESCRIPTOR, uuid);
    return adopted != NULL ? adopted->name : "descriptor";
}

/* What the definition has at a handle. */
static void by_layout(const struct entry *entry, uint16_t handle, struct ys_meaning *meaning)
{
    const struct ys_row *row = handle > 0 && handle <= entry->layout->count ? &entry->layout->rows[handle - 1] : NULL;
    if (row == NULL)
        return;
    meaning->service = row->service != NULL ? row->service->name : NULL;
    if (row->characteristic == NULL)
        return;
    meaning->name = row->characteristic->name;
    if (row->kind == YS_ATTRIBUTE_VALUE || row->kind == YS_ATTRIBUTE_FEATURES)
        meaning->field = &row->characteristic->type;
    else if (row->kind == YS_ATTRIBUTE_CHARACTERISTIC)
        meaning->descriptor = "declaration";
    else
        meaning->descriptor = descriptor_name(&row->type);
}

static void misfit(struct ys_names *names, const struct ys_party *server, const struct ys_told *told)
{
    if (names->misfits++ > 0)
        return;
    char text[YS_UUID_TEXT_SIZE];
    (void)snprintf(names->misfit, sizeof names->misfit,
                   "%s has a characteristic %s at 0x%04x, which its definition does not have there", server->name,
                   ys_uuid_format(&told->uuid, text), told->handle);
}

/* What the traffic told of it. */
static void by_told(struct ys_names *names, const struct ys_party *server, const struct ys_told *told, uint16_t handle,
                    struct ys_meaning *meaning)
{
    const struct ys_told *service = ys_party_service(server, handle);
    const struct entry *entry = entry_of(names, server);
    if (service != NULL)
        meaning->service = service_name(names, &service->uuid);
    if (service != NULL && meaning->service == NULL)
        meaning->service = text_of(names, &service->uuid);
    if (told->kind == YS_TOLD_DESCRIPTOR)
        meaning->descriptor = descriptor_name(&told->uuid);
    const struct ys_told *owner = told->kind == YS_TOLD_CHARACTERISTIC ? told : ys_party_characteristic(server, handle);
    if (owner == NULL)
        return;
    const struct ys_characteristic *characteristic = characteristic_at(entry, owner);
    if (characteristic == NULL && entry != NULL && owner->handle <= entry->layout->count)
        misfit(names, server, owner);
    if (characteristic == NULL)
        characteristic = find_characteristic(names, &owner->uuid);
    const struct ys_adopted *adopted =
        characteristic == NULL ? adopted_of(YS_ADOPTED_CHARACTERISTIC, &owner->uuid) : NULL;
    meaning->name = characteristic != NULL ? characteristic->name
                    : adopted != NULL      ? adopted->name
                                           : text_of(names, &owner->uuid);
    if (told->kind == YS_TOLD_CHARACTERISTIC)
        meaning->field = characteristic != NULL ? (const void *)&characteristic->type
                         : adopted != NULL      ? (const void *)adopted->type
                                                : NULL;
}

static void attribute(void *context, const struct ys_party *server, uint16_t handle, struct ys_meaning *meaning)
{
    struct ys_names *names = context;
    const struct ys_told *told = server != NULL ? ys_party_told(server, handle) : NULL;
    const struct entry *entry = entry_of(names, server);
    if (told != NULL)
        by_told(names, server, told, handle, meaning);
    if (meaning->name == NULL && entry != NULL)
        by_layout(entry, handle, meaning);
}

static void value(void *context, const void *field, const uint8_t *bytes, size_t length, char *text, size_t size)
{
    (void)context;
    ys_value_say(field, bytes, length, text, size);
}

static bool fits(void *context, const void *field, const uint8_t *bytes, size_t length)
{
    (void)context;
    return field == NULL || ys_value_fits(field, bytes, length);
}

/* The characteristic whose value a handle is; NULL: it is not known, or no value. */
static const struct ys_characteristic *characteristic_of(const struct ys_names *names, const struct ys_party *server,
                                                         uint16_t handle)
{
    const struct ys_told *told = server != NULL ? ys_party_told(server, handle) : NULL;
    const struct entry *entry = entry_of(names, server);
    if (told != NULL && told->kind != YS_TOLD_CHARACTERISTIC)
        return NULL;
    if (told != NULL)
        return characteristic_at(entry, told) != NULL ? characteristic_at(entry, told)
                                                      : find_characteristic(names, &told->uuid);
    if (entry == NULL || handle == 0 || handle > entry->layout->count ||
        entry->layout->rows[handle - 1].kind != YS_ATTRIBUTE_VALUE)
        return NULL;
    return entry->layout->rows[handle - 1].characteristic;
}

static bool is_sound(void *context, const struct ys_party *server, uint16_t handle, const uint8_t *bytes, size_t length,
                     char *text, size_t size)
{
    const struct ys_characteristic *characteristic = characteristic_of(context, server, handle);
    text[0] = '\0';
    return characteristic == NULL || ys_value_is_sound(characteristic, bytes, length, text, size);
}

static uint64_t spacing_us(void *context, const struct ys_party *server, uint16_t handle)
{
    const struct ys_characteristic *characteristic = characteristic_of(context, server, handle);
    return characteristic != NULL ? characteristic->spacing_us.number : 0;
}

static bool is_protected(void *context, const struct ys_party *server, uint16_t handle, uint8_t property)
{
    const struct ys_characteristic *characteristic = characteristic_of(context, server, handle);
    for (size_t i = 0; characteristic != NULL && i < YS_WAYS; i++) {
        if (ys_ways[i].property == property)
            return characteristic->ways[i].right > YS_RIGHT_OPEN;
    }
    return false;
}

static bool number(void *context, const void *field, const uint8_t *bytes, size_t length, double *result,
                   const char **unit)
{
    const struct ys_field *type = field;
    (void)context;
    if (type == NULL || !ys_value_number(type, bytes, length, result))
        return false;
    *unit = type->unit != NULL && type->unit->symbol != NULL ? type->unit->symbol : "";
    return true;
}

static const char *uuid_name(void *context, const struct ys_uuid *uuid)
{
    struct ys_names *names = context;
    const struct ys_characteristic *characteristic = find_characteristic(names, uuid);
    const char *service = characteristic == NULL ? service_name(names, uuid) : NULL;
    if (characteristic != NULL || service != NULL)
        return characteristic != NULL ? characteristic->name : service;
    switch (ys_uuid_number(uuid)) {
    case 0x2800:
        return "primary services";
    case 0x2801:
        return "secondary services";
    case 0x2802:
        return "includes";
    case 0x2803:
        return "characteristics";
    default:
        break;
    }
    const struct ys_adopted *adopted = adopted_of(YS_ADOPTED_CHARACTERISTIC, uuid);
    if (adopted == NULL)
        adopted = adopted_of(YS_ADOPTED_DESCRIPTOR, uuid);
    return adopted != NULL ? adopted->name : NULL;
}

static const char *structure(void *context, const struct ys_ad *ad, char *text, size_t size)
{
    const struct ys_names *names = context;
    ys_explain_structure(names->count == 1 ? names->entries->design : NULL, ad, text, size);
    return ys_explain_type(ad->type);
}

struct ys_glossary ys_names_glossary(struct ys_names *names)
{
    return (struct ys_glossary){.context = names,
                                .attribute = attribute,
                                .value = value,
                                .fits = fits,
                                .is_sound = is_sound,
                                .spacing_us = spacing_us,
                                .is_protected = is_protected,
                                .number = number,
                                .uuid = uuid_name,
                                .structure = structure};
}

uint64_t ys_names_misfits(const struct ys_names *names, char *text, size_t size)
{
    (void)snprintf(text, size, "%s", names->misfit);
    return names->misfits;
}
