/* Questions about a design, and its end. */
#include "design/model/model.h"

#include <stdlib.h>

#include <libfyaml.h>

#include "design/model/words.h"

const struct ys_way_words ys_ways[YS_WAYS] = {
    [YS_WAY_READ] = {"read", YS_PROPERTY_READ},
    [YS_WAY_WRITE] = {"write", YS_PROPERTY_WRITE},
    [YS_WAY_WRITE_COMMAND] = {"write without response", YS_PROPERTY_WRITE_WITHOUT_RESPONSE},
    [YS_WAY_SIGNED_WRITE] = {"signed write", YS_PROPERTY_SIGNED_WRITE},
    [YS_WAY_NOTIFY] = {"notify", YS_PROPERTY_NOTIFY},
    [YS_WAY_INDICATE] = {"indicate", YS_PROPERTY_INDICATE},
};

/* questions */

uint8_t ys_characteristic_properties(const struct ys_characteristic *characteristic)
{
    unsigned properties = characteristic->broadcasts ? YS_PROPERTY_BROADCAST : 0;
    for (int way = 0; way < YS_WAYS; way++)
        properties |= ys_offers(characteristic, (enum ys_way)way) ? ys_ways[way].property : 0u;
    if (characteristic->reliable || characteristic->description_write.right != YS_RIGHT_NONE)
        properties |= YS_PROPERTY_EXTENDED;
    return (uint8_t)properties;
}

bool ys_offers(const struct ys_characteristic *characteristic, enum ys_way way)
{
    return characteristic->ways[way].right != YS_RIGHT_NONE;
}

bool ys_is_writable(const struct ys_characteristic *characteristic)
{
    return ys_write_offer(characteristic)->right != YS_RIGHT_NONE;
}

bool ys_is_notifiable(const struct ys_characteristic *characteristic)
{
    return ys_notify_offer(characteristic)->right != YS_RIGHT_NONE;
}

const struct ys_offer *ys_write_offer(const struct ys_characteristic *characteristic)
{
    enum ys_way way = YS_WAY_WRITE;
    while (way < YS_WAY_SIGNED_WRITE && !ys_offers(characteristic, way))
        way++;
    return &characteristic->ways[way];
}

const struct ys_offer *ys_notify_offer(const struct ys_characteristic *characteristic)
{
    return &characteristic->ways[ys_offers(characteristic, YS_WAY_NOTIFY) ? YS_WAY_NOTIFY : YS_WAY_INDICATE];
}

bool ys_design_caches(const struct ys_design *design)
{
    return design->caching == 1 || (design->caching == 0 && design->security.given && design->security.bonding);
}

const char *ys_right_word(enum ys_right right)
{
    static const char *const words[] = {"none", "open", "encrypted", "authenticated", "secure connections"};
    return words[right];
}

const struct ys_service *ys_design_find_service(const struct ys_design *design, const struct ys_uuid *uuid)
{
    for (size_t i = 0; i < design->service_count; i++) {
        if (ys_uuid_is_equal(&design->services[i].uuid, uuid))
            return &design->services[i];
    }
    return NULL;
}

struct ys_service *ys_service_named(const struct ys_design *design, const char *name)
{
    for (size_t i = 0; i < design->service_count; i++) {
        if (design->services[i].name != NULL && ys_word_is_equal(design->services[i].name, name))
            return &design->services[i];
    }
    return NULL;
}

struct ys_characteristic *ys_characteristic_named(const struct ys_service *service, const char *name)
{
    for (size_t i = 0; i < service->characteristic_count; i++) {
        if (service->characteristics[i].name != NULL && ys_word_is_equal(service->characteristics[i].name, name))
            return &service->characteristics[i];
    }
    return NULL;
}

bool ys_characteristic_is_called(const struct ys_service *service, const struct ys_characteristic *characteristic,
                                 const char *text)
{
    size_t span = strlen(service->name);
    return strcmp(characteristic->name, text) == 0 || (strncmp(service->name, text, span) == 0 && text[span] == '/' &&
                                                       strcmp(characteristic->name, text + span + 1) == 0);
}

/* its end */

static void clear_words(struct ys_field *field)
{
    for (size_t i = 0; i < field->bit_count; i++)
        free(field->bits[i]);
    for (size_t i = 0; i < field->name_count; i++)
        free(field->names[i].name);
    free(field->bits);
    free(field->names);
}

void ys_type_clear(struct ys_field *field)
{
    clear_words(field);
    for (size_t i = 0; i < field->field_count; i++) {
        free(field->fields[i].name);
        free(field->fields[i].id);
        clear_words(&field->fields[i]);
    }
    free(field->fields);
}

void ys_characteristic_clear(struct ys_characteristic *characteristic)
{
    free(characteristic->name);
    free(characteristic->id);
    free(characteristic->handler_name);
    free(characteristic->handler_id);
    free(characteristic->value);
    free(characteristic->stand_in.recorded);
    for (size_t i = 0; i < characteristic->descriptor_count; i++) {
        free(characteristic->descriptors[i].value);
        ys_type_clear(&characteristic->descriptors[i].type);
    }
    free(characteristic->descriptors);
    ys_type_clear(&characteristic->type);
}

void ys_service_clear(struct ys_service *service)
{
    for (size_t i = 0; i < service->characteristic_count; i++)
        ys_characteristic_clear(&service->characteristics[i]);
    free(service->characteristics);
    free(service->includes);
    free(service->dropped);
    free(service->name);
    free(service->id);
}

static void free_parts(struct ys_parts *parts)
{
    for (size_t i = 0; i < parts->count; i++) {
        free(parts->items[i].value);
        free(parts->items[i].list);
        ys_type_clear(&parts->items[i].type);
    }
    free(parts->items);
}

static void free_set(struct ys_advertisement *set)
{
    free_parts(&set->data);
    free_parts(&set->response);
    free(set->promises);
    free(set->name);
    free(set->id);
}

void ys_design_free(struct ys_design *design)
{
    if (design == NULL)
        return;
    for (size_t i = 0; i < design->service_count; i++)
        ys_service_clear(&design->services[i]);
    for (size_t i = 0; i < design->set_count; i++)
        free_set(&design->sets[i]);
    free(design->services);
    free(design->sets);
    for (size_t i = 0; i < design->expectation_count; i++)
        free(design->expectations[i].by_name);
    free(design->expectations);
    free(design->behaviours);
    free(design->file);
    free(design->id);
    ys_findings_clear(&design->findings);
    for (size_t i = 0; i < design->source_count; i++) {
        fy_document_destroy(design->sources[i].document);
        free(design->sources[i].path);
        free(design->sources[i].text);
    }
    free(design->sources);
    free(design);
}
