/* What `use:` brings. */
#include "design/reading/use.h"

#include <ctype.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "design/model/memory.h"
#include "design/model/words.h"
#include "design/reading/catalogue.h"

#define NAMES_MOST 128

/* In small letters, as names are written in a definition. */
static void give_name(const char *text, char **name, char **id)
{
    *name = ys_copy(text, strlen(text));
    for (char *letter = *name; *letter != '\0'; letter++)
        *letter = (char)tolower((unsigned char)*letter);
    *id = ys_identifier(text);
}

/* Open rights for what the standard asks for, and handlers for what has no value of its own. */
static void bring_part(struct ys_characteristic *characteristic, const struct ys_has *part, struct ys_place place)
{
    *characteristic = (struct ys_characteristic){
        .place = place, .brought = true, .uuid_text = {.text = part->name, .place = place}, .handler_place = place};
    give_name(part->name, &characteristic->name, &characteristic->id);
    for (int way = 0; way < YS_WAYS; way++) {
        if ((part->must & ys_ways[way].property) != 0)
            characteristic->ways[way] = (struct ys_offer){.right = YS_RIGHT_OPEN, .place = place};
    }
    characteristic->read_handler = (part->must & (YS_PROPERTY_READ | YS_PROPERTY_NOTIFY | YS_PROPERTY_INDICATE)) != 0;
    characteristic->write_handler = (part->must & (YS_PROPERTY_WRITE | YS_PROPERTY_WRITE_WITHOUT_RESPONSE)) != 0;
}

static struct ys_characteristic *add_characteristic(struct ys_service *service)
{
    service->characteristics =
        ys_grow(service->characteristics, service->characteristic_count, sizeof *service->characteristics);
    return &service->characteristics[service->characteristic_count++];
}

static void bring_service(struct ys_service *service, const struct ys_adopted *adopted, struct ys_place place)
{
    service->used = adopted;
    service->uuid_text = (struct ys_written){.text = adopted->name, .place = place};
    for (size_t i = 0; i < adopted->part_count; i++) {
        if (adopted->parts[i].mandatory)
            bring_part(add_characteristic(service), &adopted->parts[i], place);
    }
}

static void bring_device(struct ys_design *design, const struct ys_adopted *device, struct ys_place place)
{
    for (size_t i = 0; i < device->part_count; i++) {
        const struct ys_adopted *adopted = ys_adopted_by_name(YS_ADOPTED_SERVICE, device->parts[i].name);
        struct ys_service service = {.place = place, .brought = true};
        give_name(adopted->name, &service.name, &service.id);
        bring_service(&service, adopted, place);
        design->services = ys_grow(design->services, design->service_count, sizeof *design->services);
        design->services[design->service_count++] = service;
    }
}

/* Says that nothing of this name can be used. Returns the name that was most likely meant, so that nothing else seems
 * to be wrong that only follows from it; or NULL. */
static const char *unknown(struct ys_findings *findings, struct ys_place place, const char *name)
{
    const char *names[NAMES_MOST];
    size_t count = ys_adopted_names(YS_ADOPTED_SERVICE, names, NAMES_MOST);
    count += ys_adopted_names(YS_ADOPTED_DEVICE, names + count, NAMES_MOST - count);
    const char *nearest = ys_word_nearest(name, names, count);
    if (nearest != NULL)
        ys_findings_add(findings, YS_ERROR, "use", place, "nothing adopted is named \"%s\"; did you mean \"%s\"?", name,
                        nearest);
    else
        ys_findings_add(findings, YS_ERROR, "use", place,
                        "nothing adopted is named \"%s\": see yarnswift catalogue for what can be used", name);
    return nearest;
}

bool ys_use_begin(struct ys_design *design, struct ys_service *service, const struct ys_node *node)
{
    struct ys_place place = node->place;
    const char *name = ys_yaml_peek_at(node, "use", &place);
    if (name != NULL && ys_adopted_by_name(YS_ADOPTED_DEVICE, name) == NULL &&
        ys_adopted_by_name(YS_ADOPTED_SERVICE, name) == NULL)
        name = unknown(&design->findings, place, name);
    if (name == NULL)
        return false;
    const struct ys_adopted *device = ys_adopted_by_name(YS_ADOPTED_DEVICE, name);
    const struct ys_adopted *adopted = ys_adopted_by_name(YS_ADOPTED_SERVICE, name);
    void *iterator = NULL;
    const char *key;
    struct ys_node value;
    if (adopted != NULL)
        bring_service(service, adopted, node->place);
    if (adopted != NULL && ys_yaml_peek(node, "name") == NULL)
        give_name(name, &service->name, &service->id);
    if (device == NULL)
        return false;
    bring_device(design, device, node->place);
    while (ys_yaml_next_pair(node, &iterator, &key, &value)) {
        if (strcmp(key, "use") != 0)
            ys_findings_add(&design->findings, YS_ERROR, "use", value.place,
                            "a whole device is used alone: leave out %s, and use the service that it is about", key);
    }
    return true;
}

/* The part that a name or a UUID means, brought or not. */
static const struct ys_has *find_part(const struct ys_service *service, const char *name, const char *uuid)
{
    const char *wanted = uuid != NULL ? uuid : name;
    for (size_t i = 0; service->used != NULL && wanted != NULL && i < service->used->part_count; i++) {
        if (ys_word_is_equal(service->used->parts[i].name, wanted))
            return &service->used->parts[i];
    }
    return NULL;
}

struct ys_characteristic *ys_use_part(struct ys_service *service, const struct ys_node *item)
{
    const char *name = ys_yaml_peek(item, "name");
    const struct ys_has *part = find_part(service, name, ys_yaml_peek(item, "uuid"));
    struct ys_characteristic *found = part != NULL ? ys_characteristic_named(service, part->name) : NULL;
    if (found == NULL || !found->brought) {
        found = add_characteristic(service);
        *found = (struct ys_characteristic){.place = item->place, .uuid_text = {.place = item->place}};
        if (part != NULL)
            bring_part(found, part, item->place);
    }
    if (part != NULL) {
        free(found->name); /* the definition's own spelling counts */
        free(found->id);
        found->name = NULL;
        found->id = NULL;
        found->brought = false;
        found->handler_place = (struct ys_place){.line = 0};
    }
    return found;
}

/* A value stands in the place of the handlers that were brought, unless they are asked for. */
void ys_use_done(struct ys_characteristic *characteristic)
{
    if (characteristic->value_text.text == NULL || characteristic->handler_place.line != 0)
        return;
    characteristic->read_handler = false;
    characteristic->write_handler = false;
}

void ys_use_end(struct ys_service *service, struct ys_findings *findings)
{
    for (size_t i = 0; i < service->dropped_count; i++) {
        struct ys_characteristic *found = ys_characteristic_named(service, service->dropped[i].name);
        if (found == NULL || !found->brought) {
            ys_findings_add(findings, YS_ERROR, "use", service->dropped[i].place,
                            "\"%s\" is not a part of use: remove it", service->dropped[i].name);
            continue;
        }
        ys_characteristic_clear(found);
        size_t behind = service->characteristic_count - (size_t)(found - service->characteristics) - 1;
        memmove(found, found + 1, behind * sizeof *found);
        service->characteristic_count--;
    }
}

static const struct ys_adopted *adopted_of(const struct ys_service *service)
{
    const char *text = service->uuid_text.text != NULL ? service->uuid_text.text : service->name;
    return text != NULL ? ys_adopted_by_name(YS_ADOPTED_SERVICE, text) : NULL;
}

static bool is_replaced(const struct ys_design *design, const struct ys_service *service)
{
    for (size_t i = 0; i < design->service_count; i++) {
        if (!design->services[i].brought && adopted_of(&design->services[i]) == adopted_of(service))
            return true;
    }
    return false;
}

/* Two services may bring a part of one name: the second's is called after its service, too. */
static void tell_apart(const struct ys_design *design, const struct ys_service *service,
                       struct ys_characteristic *characteristic)
{
    char name[200];
    for (const struct ys_service *before = design->services; before < service; before++) {
        if (ys_characteristic_named(before, characteristic->name) == NULL)
            continue;
        (void)snprintf(name, sizeof name, "%s %s", service->name, characteristic->name);
        free(characteristic->name);
        free(characteristic->id);
        give_name(name, &characteristic->name, &characteristic->id);
        return;
    }
}

static void replace_services(struct ys_design *design)
{
    size_t kept = 0;
    for (size_t i = 0; i < design->service_count; i++) {
        struct ys_service service = design->services[i];
        if (service.brought && is_replaced(design, &service))
            ys_service_clear(&service);
        else
            design->services[kept++] = service;
    }
    design->service_count = kept;
}

void ys_use_settle(struct ys_design *design)
{
    replace_services(design);
    for (size_t i = 0; i < design->service_count; i++) {
        struct ys_service *service = &design->services[i];
        for (size_t j = 0; j < service->characteristic_count && service->name != NULL; j++) {
            if (service->characteristics[j].brought)
                tell_apart(design, service, &service->characteristics[j]);
        }
    }
}
