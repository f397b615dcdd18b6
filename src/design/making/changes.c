/* Compares two versions of a definition. Services and characteristics are matched by their UUIDs, whatever their names;
 * if several have one UUID, in their order. */
#include "design/making/changes.h"

#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "design/making/hash.h"
#include "design/making/payload.h"
#include "design/model/memory.h"
#include "design/model/value.h"

enum effect { BREAKS, COMPATIBLE };

struct comparing {
    struct ys_changes changes;
    const struct ys_design *before;
    const struct ys_design *after;
    const char *where;
};

#if defined(__GNUC__)
__attribute__((format(printf, 3, 4)))
#endif
static void
add(struct comparing *comparing, enum effect effect, const char *format, ...)
{
    struct ys_changes *changes = &comparing->changes;
    va_list arguments;
    va_start(arguments, format);
    char *what = ys_new_text_of(format, arguments);
    va_end(arguments);
    changes->items = ys_grow(changes->items, changes->count, sizeof *changes->items);
    changes->items[changes->count++] = (struct ys_change){
        .breaks = effect == BREAKS, .where = ys_copy(comparing->where, strlen(comparing->where)), .what = what};
    changes->breaking += effect == BREAKS;
}

static const char *text_of(const char *text)
{
    return text != NULL ? text : "";
}

/* Types: changes of the bytes or of their meaning */

static const char *unit_of(const struct ys_field *type)
{
    return type->unit != NULL ? type->unit->name : "none";
}

static bool has_same_steps(const struct ys_field *a, const struct ys_field *b)
{
    const int64_t multipliers[] = {a->multiplier == 0 ? 1 : a->multiplier, b->multiplier == 0 ? 1 : b->multiplier};
    return multipliers[0] == multipliers[1] && a->exponent == b->exponent && a->halvings == b->halvings;
}

static void compare_bits(struct comparing *comparing, const char *name, const struct ys_field *a,
                         const struct ys_field *b)
{
    size_t common = a->bit_count < b->bit_count ? a->bit_count : b->bit_count;
    for (size_t i = 0; i < common; i++) {
        if (strcmp(a->bits[i], b->bits[i]) != 0)
            add(comparing, BREAKS, "%sbit %zu means \"%s\", and meant \"%s\"", name, i, b->bits[i], a->bits[i]);
    }
    for (size_t i = common; i < a->bit_count; i++)
        add(comparing, BREAKS, "%sbit %zu has no meaning any more; it meant \"%s\"", name, i, a->bits[i]);
    for (size_t i = common; i < b->bit_count; i++)
        add(comparing, COMPATIBLE, "%sbit %zu means \"%s\", and meant nothing", name, i, b->bits[i]);
}

static const struct ys_named_number *named(const struct ys_field *type, uint64_t number)
{
    for (size_t i = 0; i < type->name_count; i++) {
        if (type->names[i].number == number)
            return &type->names[i];
    }
    return NULL;
}

static void compare_names(struct comparing *comparing, const char *name, const struct ys_field *a,
                          const struct ys_field *b)
{
    for (size_t i = 0; i < a->name_count; i++) {
        const struct ys_named_number *old = &a->names[i];
        const struct ys_named_number *now = named(b, old->number);
        if (now == NULL)
            add(comparing, BREAKS, "%s%llu has no meaning any more; it meant \"%s\"", name,
                (unsigned long long)old->number, old->name);
        else if (strcmp(now->name, old->name) != 0)
            add(comparing, BREAKS, "%s%llu means \"%s\", and meant \"%s\"", name, (unsigned long long)old->number,
                now->name, old->name);
    }
    for (size_t i = 0; i < b->name_count; i++) {
        if (named(a, b->names[i].number) == NULL)
            add(comparing, COMPATIBLE, "%s%llu means \"%s\", and meant nothing", name,
                (unsigned long long)b->names[i].number, b->names[i].name);
    }
}

/* `name` is that of a field, with a space after it; empty for a whole value. */
static void compare_type(struct comparing *comparing, const char *name, const struct ys_field *a,
                         const struct ys_field *b)
{
    if (strcmp(a->format->name, b->format->name) != 0) {
        add(comparing, BREAKS, "%sformat %s, was %s", name, b->format->name, a->format->name);
        return;
    }
    if (!has_same_steps(a, b))
        add(comparing, BREAKS, "%sresolution: a raw 1 is another amount than it was", name);
    if (strcmp(unit_of(a), unit_of(b)) != 0)
        add(comparing, BREAKS, "%sunit %s, was %s", name, unit_of(b), unit_of(a));
    if (a->order != b->order)
        add(comparing, BREAKS, "%sorder of its bytes: the other way round", name);
    if (a->most.number != b->most.number)
        add(comparing, BREAKS, "%sup to %llu items, was %llu", name, (unsigned long long)b->most.number,
            (unsigned long long)a->most.number);
    compare_bits(comparing, name, a, b);
    compare_names(comparing, name, a, b);
}

static bool has_same_condition(const struct ys_field *a, const struct ys_field *b)
{
    return a->depends == b->depends && (!a->depends || (a->flags_at == b->flags_at && a->flag == b->flag &&
                                                        (a->when.text != NULL) == (b->when.text != NULL)));
}

static void compare_fields(struct comparing *comparing, const struct ys_field *a, const struct ys_field *b)
{
    size_t common = a->field_count < b->field_count ? a->field_count : b->field_count;
    for (size_t i = 0; i < common; i++) {
        const struct ys_field *old = &a->fields[i];
        const struct ys_field *now = &b->fields[i];
        char *name = ys_new_text("field %s: ", text_of(now->name));
        if (strcmp(text_of(old->name), text_of(now->name)) != 0)
            add(comparing, COMPATIBLE, "field %zu is called \"%s\", was \"%s\"", i + 1, text_of(now->name),
                text_of(old->name));
        compare_type(comparing, name, old, now);
        if (!has_same_condition(old, now))
            add(comparing, BREAKS, "%sthere under another condition than before", name);
        else if (old->length.number != now->length.number)
            add(comparing, BREAKS, "%s%llu bytes, was %llu", name, (unsigned long long)now->length.number,
                (unsigned long long)old->length.number);
        free(name);
    }
    for (size_t i = common; i < a->field_count; i++)
        add(comparing, BREAKS, "field \"%s\" is gone", text_of(a->fields[i].name));
    for (size_t i = common; i < b->field_count; i++)
        add(comparing, b->fields[i].depends ? COMPATIBLE : BREAKS, "field \"%s\" is new%s", text_of(b->fields[i].name),
            b->fields[i].depends ? ", and exists only when a flag is set" : "");
}

static void compare_value(struct comparing *comparing, const struct ys_field *a, const struct ys_field *b, bool lengths)
{
    size_t before = comparing->changes.count;
    compare_type(comparing, "", a, b);
    compare_fields(comparing, a, b);
    if (lengths && comparing->changes.count == before && a->length.number != b->length.number)
        add(comparing, b->length.number > a->length.number ? COMPATIBLE : BREAKS, "%llu bytes at most, was %llu",
            (unsigned long long)b->length.number, (unsigned long long)a->length.number);
}

/* Rights */

static void offer_text(const struct ys_offer *offer, char text[60])
{
    (void)snprintf(text, 60, "%s%s", ys_right_word(offer->right), offer->asks ? " and ask" : "");
}

static void compare_ways(struct comparing *comparing, const struct ys_characteristic *a,
                         const struct ys_characteristic *b)
{
    for (int way = 0; way < YS_WAYS; way++) {
        const struct ys_offer *old = &a->ways[way];
        const struct ys_offer *now = &b->ways[way];
        char texts[2][60];
        offer_text(old, texts[0]);
        offer_text(now, texts[1]);
        if (strcmp(texts[0], texts[1]) == 0)
            continue;
        if (now->right == YS_RIGHT_NONE)
            add(comparing, BREAKS, "no %s any more", ys_ways[way].name);
        else if (old->right == YS_RIGHT_NONE)
            add(comparing, COMPATIBLE, "new: %s, %s", ys_ways[way].name, texts[1]);
        else
            add(comparing, now->right > old->right || (now->asks && !old->asks) ? BREAKS : COMPATIBLE, "%s %s, was %s",
                ys_ways[way].name, texts[1], texts[0]);
    }
}

static void compare_range(struct comparing *comparing, const struct ys_characteristic *a,
                          const struct ys_characteristic *b)
{
    bool writable = ys_is_writable(a) && ys_is_writable(b);
    bool refused = b->has_range && !b->any_value;
    bool was_refused = a->has_range && !a->any_value;
    bool same = refused == was_refused && (!refused || (a->range[0] == b->range[0] && a->range[1] == b->range[1]));
    if (!writable || same || !has_same_steps(&a->type, &b->type))
        return;
    if (!refused)
        add(comparing, COMPATIBLE, "writes beyond a range are not refused any more");
    else if (!was_refused || b->range[0] > a->range[0] || b->range[1] < a->range[1])
        add(comparing, BREAKS, "writes are refused that were taken: its range is narrower");
    else
        add(comparing, COMPATIBLE, "its range is wider");
}

static bool is_constant(const struct ys_characteristic *characteristic)
{
    return characteristic->value != NULL && !characteristic->read_handler && !ys_is_writable(characteristic);
}

/* Those that it has of its own. What is new or gone moves handles, which is told of the table. */
static void compare_descriptors(struct comparing *comparing, const struct ys_characteristic *a,
                                const struct ys_characteristic *b)
{
    size_t common = a->descriptor_count < b->descriptor_count ? a->descriptor_count : b->descriptor_count;
    for (size_t i = 0; i < common; i++) {
        const struct ys_descriptor *old = &a->descriptors[i];
        const struct ys_descriptor *now = &b->descriptors[i];
        char uuids[2][YS_UUID_TEXT_SIZE];
        (void)ys_uuid_format(&old->uuid, uuids[0]);
        (void)ys_uuid_format(&now->uuid, uuids[1]);
        if (!ys_uuid_is_equal(&old->uuid, &now->uuid))
            add(comparing, BREAKS, "descriptor %s, was %s", uuids[1], uuids[0]);
        else if (old->value_length != now->value_length || memcmp(old->value, now->value, old->value_length) != 0)
            add(comparing, COMPATIBLE, "descriptor %s has another value", uuids[1]);
    }
}

static void compare_characteristic(struct comparing *comparing, const struct ys_characteristic *a,
                                   const struct ys_characteristic *b)
{
    if (strcmp(a->name, b->name) != 0)
        add(comparing, COMPATIBLE, "is called so, and was called \"%s\": names in generated code change", a->name);
    bool constant = is_constant(a) && is_constant(b);
    compare_value(comparing, &a->type, &b->type, !constant);
    compare_ways(comparing, a, b);
    compare_range(comparing, a, b);
    if (a->streams != b->streams)
        add(comparing, BREAKS,
            b->streams ? "its notifications are a stream of bytes, and were values"
                       : "its notifications are values, and were a stream of bytes");
    if (a->queues != b->queues)
        add(comparing, b->queues ? COMPATIBLE : BREAKS,
            b->queues ? "each of its values arrives, where only the newest did"
                      : "only the newest of its values arrives, where each did");
    compare_descriptors(comparing, a, b);
    if (a->spacing_us.number != b->spacing_us.number)
        add(comparing, COMPATIBLE, "notification spacing %g ms, was %g ms", (double)b->spacing_us.number / 1000,
            (double)a->spacing_us.number / 1000);
    if (constant && (a->value_length != b->value_length || memcmp(a->value, b->value, a->value_length) != 0))
        add(comparing, COMPATIBLE, "another constant value");
}

/* Services */

/* Which of those with its UUID one is, from 0; and that one of others. */
static size_t place_of(const struct ys_service *service, const struct ys_characteristic *characteristic)
{
    size_t place = 0;
    for (const struct ys_characteristic *other = service->characteristics; other < characteristic; other++)
        place += ys_uuid_is_equal(&other->uuid, &characteristic->uuid);
    return place;
}

static const struct ys_characteristic *find_characteristic(const struct ys_service *service, const struct ys_uuid *uuid,
                                                           size_t place)
{
    for (size_t i = 0; i < service->characteristic_count; i++) {
        if (ys_uuid_is_equal(&service->characteristics[i].uuid, uuid) && place-- == 0)
            return &service->characteristics[i];
    }
    return NULL;
}

static const struct ys_service *find_service(const struct ys_design *design, const struct ys_design *of,
                                             const struct ys_service *service)
{
    size_t place = 0;
    for (const struct ys_service *other = of->services; other < service; other++)
        place += ys_uuid_is_equal(&other->uuid, &service->uuid);
    for (size_t i = 0; i < design->service_count; i++) {
        if (ys_uuid_is_equal(&design->services[i].uuid, &service->uuid) && place-- == 0)
            return &design->services[i];
    }
    return NULL;
}

static void compare_service(struct comparing *comparing, const struct ys_service *a, const struct ys_service *b)
{
    for (size_t i = 0; i < a->characteristic_count; i++) {
        const struct ys_characteristic *old = &a->characteristics[i];
        const struct ys_characteristic *now = find_characteristic(b, &old->uuid, place_of(a, old));
        char *where = ys_new_text("%s, %s", b->name, now != NULL ? now->name : old->name);
        comparing->where = where;
        if (now == NULL)
            add(comparing, BREAKS, "is gone");
        else
            compare_characteristic(comparing, old, now);
        free(where);
    }
    for (size_t i = 0; i < b->characteristic_count && b->characteristics != NULL; i++) {
        const struct ys_characteristic *now = &b->characteristics[i];
        if (find_characteristic(a, &now->uuid, place_of(b, now)) != NULL)
            continue;
        char *where = ys_new_text("%s, %s", b->name, now->name);
        comparing->where = where;
        add(comparing, COMPATIBLE, "is new");
        free(where);
    }
    comparing->where = b->name;
    if (a->secondary != b->secondary)
        add(comparing, BREAKS,
            b->secondary ? "is secondary now: clients that look for it do not find it"
                         : "is primary now, and was secondary");
}

static void compare_services(struct comparing *comparing)
{
    for (size_t i = 0; i < comparing->before->service_count; i++) {
        const struct ys_service *old = &comparing->before->services[i];
        const struct ys_service *now = find_service(comparing->after, comparing->before, old);
        comparing->where = old->name;
        if (old->implied) /* which follow from the rest */
            continue;
        if (now == NULL)
            add(comparing, BREAKS, "is gone");
        else
            compare_service(comparing, old, now);
    }
    for (size_t i = 0; i < comparing->after->service_count; i++) {
        const struct ys_service *now = &comparing->after->services[i];
        comparing->where = now->name;
        if (find_service(comparing->before, comparing->after, now) == NULL)
            add(comparing, COMPATIBLE, "is new");
    }
}

/* Advertising */

static const struct ys_advertisement *find_set(const struct ys_design *design, const char *name)
{
    for (size_t i = 0; i < design->set_count; i++) {
        if (strcmp(text_of(design->sets[i].name), text_of(name)) == 0)
            return &design->sets[i];
    }
    return NULL;
}

static bool promises(const struct ys_advertisement *set, const struct ys_uuid *uuid)
{
    for (size_t i = 0; i < set->promise_count; i++) {
        if (set->promises[i].service != NULL && ys_uuid_is_equal(&set->promises[i].service->uuid, uuid))
            return true;
    }
    return false;
}

/* The nth part of a kind in a payload, so that data that has changed its place is not missed. */
static const struct ys_part *find_part(const struct ys_advertisement *set, const struct ys_part *like, size_t place)
{
    const struct ys_parts *payloads[] = {&set->data, &set->response};
    for (size_t i = 0; i < 2; i++) {
        for (size_t j = 0; j < payloads[i]->count; j++) {
            const struct ys_part *part = &payloads[i]->items[j];
            if (part->kind == like->kind && part->number.number == like->number.number && place-- == 0)
                return part;
        }
    }
    return NULL;
}

static void compare_parts(struct comparing *comparing, const struct ys_advertisement *a,
                          const struct ys_advertisement *b, const struct ys_parts *parts)
{
    for (size_t i = 0; i < parts->count; i++) {
        const struct ys_part *old = &parts->items[i];
        bool data =
            old->kind == YS_PART_MANUFACTURER || old->kind == YS_PART_SERVICE_DATA || old->kind == YS_PART_STRUCTURE;
        size_t place = 0;
        for (; data && find_part(a, old, place) != old; place++) {
        }
        const struct ys_part *now = data ? find_part(b, old, place) : old;
        if (now == NULL)
            add(comparing, BREAKS, "data of a %s that it told is gone",
                old->kind == YS_PART_MANUFACTURER ? "manufacturer" : "service");
        else if (data && old->type.format != NULL && now->type.format != NULL)
            compare_value(comparing, &old->type, &now->type, true);
    }
}

static void compare_set(struct comparing *comparing, const struct ys_advertisement *a, const struct ys_advertisement *b)
{
    const uint8_t kinds[] = {ys_advertisement_kind(a), ys_advertisement_kind(b)};
    if (kinds[0] != kinds[1])
        add(comparing, kinds[0] == YS_ADVERTISE_BEACON ? COMPATIBLE : BREAKS,
            kinds[1] == YS_ADVERTISE_CONNECTABLE ? "can be connected to now" : "is of another kind");
    if (a->extended != b->extended)
        add(comparing, BREAKS,
            b->extended ? "is extended now: centrals with legacy advertising only do not find it"
                        : "is legacy advertising now");
    if (a->primary_phy != b->primary_phy || a->phy != b->phy)
        add(comparing, BREAKS, "is on another PHY");
    for (size_t i = 0; i < a->promise_count; i++) {
        const struct ys_service *service = a->promises[i].service;
        if (service != NULL && !promises(b, &service->uuid))
            add(comparing, BREAKS, "no longer advertises the service \"%s\", by which centrals may search",
                service->name);
    }
    for (size_t i = 0; i < b->promise_count; i++) {
        const struct ys_service *service = b->promises[i].service;
        if (service != NULL && !promises(a, &service->uuid))
            add(comparing, COMPATIBLE, "also advertises the service \"%s\"", service->name);
    }
    if (a->interval_min_us != b->interval_min_us || a->interval_max_us != b->interval_max_us)
        add(comparing, COMPATIBLE, "interval %g ms, was %g ms: how fast it is found changes",
            (double)b->interval_max_us / 1000, (double)a->interval_max_us / 1000);
    compare_parts(comparing, a, b, &a->data);
    compare_parts(comparing, a, b, &a->response);
}

static void compare_advertising(struct comparing *comparing)
{
    for (size_t i = 0; i < comparing->before->set_count; i++) {
        const struct ys_advertisement *old = &comparing->before->sets[i];
        const struct ys_advertisement *now = find_set(comparing->after, old->name);
        comparing->where = old->name != NULL ? old->name : "advertising";
        if (now == NULL)
            add(comparing, BREAKS, "is gone");
        else
            compare_set(comparing, old, now);
    }
    for (size_t i = 0; i < comparing->after->set_count; i++) {
        const struct ys_advertisement *now = &comparing->after->sets[i];
        comparing->where = now->name != NULL ? now->name : "advertising";
        if (find_set(comparing->before, now->name) == NULL)
            add(comparing, COMPATIBLE, "is new");
    }
}

/* The device */

/* The defaults of the library: 3 connections, an MTU of 247. */
static void compare_limits(struct comparing *comparing)
{
    const struct ys_limits *limits[] = {&comparing->before->limits, &comparing->after->limits};
    unsigned long long connections[2];
    unsigned long long mtus[2];
    for (size_t i = 0; i < 2; i++) {
        connections[i] = limits[i]->connections.given ? limits[i]->connections.number : 3;
        mtus[i] = limits[i]->mtu.given ? limits[i]->mtu.number : 247;
    }
    if (connections[0] != connections[1])
        add(comparing, connections[1] < connections[0] ? BREAKS : COMPATIBLE,
            "takes %llu connections at once, was %llu", connections[1], connections[0]);
    if (mtus[0] != mtus[1])
        add(comparing, COMPATIBLE, "agrees to an MTU of %llu at most, was %llu%s", mtus[1], mtus[0],
            mtus[1] < mtus[0] ? ": notifications of longer values are cut off" : "");
}

static void compare_device(struct comparing *comparing)
{
    const struct ys_device_security *a = &comparing->before->security;
    const struct ys_device_security *b = &comparing->after->security;
    const uint64_t keys[] = {a->key_size.given ? a->key_size.number : 16, b->key_size.given ? b->key_size.number : 16};
    comparing->where = "device";
    if (strcmp(text_of(comparing->before->name.text), text_of(comparing->after->name.text)) != 0)
        add(comparing, BREAKS, "is called \"%s\", was \"%s\": a search for the name fails",
            text_of(comparing->after->name.text), text_of(comparing->before->name.text));
    if (comparing->before->appearance != comparing->after->appearance)
        add(comparing, COMPATIBLE, "another appearance");
    compare_limits(comparing);
    if (a->given && !b->given)
        add(comparing, BREAKS, "does not pair any more");
    if (!a->given && b->given)
        add(comparing, COMPATIBLE, "pairs");
    if (!a->given || !b->given)
        return;
    if (b->secure_only && !a->secure_only)
        add(comparing, BREAKS, "only pairs by LE Secure Connections: older centrals cannot");
    if (!b->bonding && a->bonding)
        add(comparing, BREAKS, "does not remember peers any more");
    if (keys[1] > keys[0])
        add(comparing, BREAKS, "wants keys of %llu bytes, were %llu", (unsigned long long)keys[1],
            (unsigned long long)keys[0]);
    if (a->capability != b->capability)
        add(comparing, COMPATIBLE, "can show or enter something else: people pair in another way");
}

/* The table that clients remember (Core 5.4 Vol 3 Part G 2.5.2, 7.1, 7.3) */

static bool is_same_row(const struct ys_row *a, const struct ys_row *b)
{
    return a->kind == b->kind && ys_uuid_is_equal(&a->type, &b->type) && ys_uuid_is_equal(&a->uuid, &b->uuid);
}

static bool is_cached(const struct ys_layout *layout)
{
    for (size_t i = 0; i < layout->count; i++) {
        if (layout->rows[i].kind == YS_ATTRIBUTE_VALUE && ys_uuid_number(&layout->rows[i].uuid) == 0x2b2a)
            return true;
    }
    return false;
}

static void compare_tables(struct comparing *comparing, const struct ys_layout *before, const struct ys_layout *after)
{
    size_t moved = 0;
    uint8_t hashes[2][16];
    for (size_t i = 0; i < before->count; i++)
        moved += i >= after->count || !is_same_row(&before->rows[i], &after->rows[i]);
    comparing->where = "table";
    if (is_cached(before) && !is_cached(after))
        add(comparing, BREAKS, "no longer has a hash: clients with a cached table cannot detect changes");
    if (moved > 0 && !is_cached(before))
        add(comparing, BREAKS,
            "%zu attribute%s moved or gone: clients that keep it are not told, since the old version had no caching",
            moved, moved == 1 ? " is" : "s are");
    else if (moved > 0)
        add(comparing, COMPATIBLE,
            "%zu attribute%s moved or gone: clients that keep it see that by its hash, and by Service Changed if they "
            "are remembered",
            moved, moved == 1 ? " is" : "s are");
    else if (ys_layout_hash(before, hashes[0]) && ys_layout_hash(after, hashes[1]) &&
             memcmp(hashes[0], hashes[1], sizeof hashes[0]) != 0)
        add(comparing, COMPATIBLE, "has another hash: clients that keep it discover it once more");
}

struct ys_changes ys_changes_between(const struct ys_version *before, const struct ys_version *after)
{
    struct comparing comparing = {.before = before->design, .after = after->design};
    compare_device(&comparing);
    compare_advertising(&comparing);
    compare_services(&comparing);
    compare_tables(&comparing, before->layout, after->layout);
    return comparing.changes;
}

void ys_changes_free(struct ys_changes *changes)
{
    for (size_t i = 0; i < changes->count; i++) {
        free(changes->items[i].where);
        free(changes->items[i].what);
    }
    free(changes->items);
}
