/* The devices that a central has met: attribute tables as they were discovered, with names from the definitions. */
#include "world/peer.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "design/reading/catalogue.h"
#include "world/tasks.h"

const struct ys_address *ys_peer_address(const struct ys_peer *peer)
{
    return &peer->address;
}

bool ys_peer_is_connected(const struct ys_peer *peer)
{
    return peer->connected;
}

uint8_t ys_peer_reason(const struct ys_peer *peer)
{
    return peer->reason;
}

unsigned ys_peer_connections(const struct ys_peer *peer)
{
    return peer->connections;
}

bool peer_leave(struct ys_peer *peer)
{
    bool good = ys_disconnect(peer->central->host, peer->connection) == YS_OK;
    peer->leaving = peer->leaving || good;
    return good;
}

void peer_forget(struct ys_peer *peer)
{
    for (size_t i = 0; i < peer->tree_count; i++)
        free(peer->tree[i].told);
    peer->tree_count = 0;
    peer->knows_tree = false;
}

/* A UUID may come more than once, as that of a battery level does where there are two batteries. What is discovered and
 * what is defined come in the same order, so the first of one is the first of the other, and so on. */
static size_t count_before(const struct ys_peer *peer, const struct discovered *one)
{
    size_t count = 0;
    for (const struct discovered *other = peer->tree; other < one; other++)
        count += other->found.kind == YS_FOUND_CHARACTERISTIC && ys_uuid_is_equal(&other->found.uuid, &one->found.uuid);
    return count;
}

static const struct ys_characteristic *defined_as(const struct ys_peer *peer, const struct discovered *one)
{
    const struct ys_design *design = peer->defined;
    size_t left = count_before(peer, one);
    for (size_t i = 0; design != NULL && i < design->service_count; i++) {
        for (size_t j = 0; j < design->services[i].characteristic_count; j++) {
            const struct ys_characteristic *characteristic = &design->services[i].characteristics[j];
            if (ys_uuid_is_equal(&characteristic->uuid, &one->found.uuid) && left-- == 0)
                return characteristic;
        }
    }
    return NULL;
}

void peer_define(struct ys_peer *peer, size_t from)
{
    for (struct discovered *one = peer->tree + from; one < peer->tree + peer->tree_count; one++)
        one->defined = one->found.kind == YS_FOUND_CHARACTERISTIC ? defined_as(peer, one) : NULL;
}

/* What the central knows of it. */
static const struct ys_characteristic *definition_of(const struct ys_peer *peer, const struct discovered *one)
{
    return peer->design != NULL ? one->defined : NULL;
}

const struct discovered *peer_find(const struct ys_peer *peer, uint16_t handle)
{
    for (size_t i = 0; i < peer->tree_count; i++) {
        const struct discovered *one = &peer->tree[i];
        if (one->found.kind == YS_FOUND_CHARACTERISTIC && one->found.value_handle == handle)
            return one;
    }
    return NULL;
}

const struct ys_characteristic *ys_peer_characteristic(const struct ys_peer *peer, uint16_t handle)
{
    const struct discovered *one = peer_find(peer, handle);
    return one != NULL ? definition_of(peer, one) : NULL;
}

uint16_t ys_peer_handle(const struct ys_peer *peer, const struct ys_characteristic *characteristic)
{
    for (size_t i = 0; i < peer->tree_count; i++) {
        const struct discovered *one = &peer->tree[i];
        if (one->found.kind == YS_FOUND_CHARACTERISTIC && one->defined == characteristic)
            return one->found.value_handle;
    }
    return 0;
}

size_t ys_peer_value_count(const struct ys_peer *peer)
{
    size_t count = 0;
    for (size_t i = 0; i < peer->tree_count; i++)
        count += peer->tree[i].found.kind == YS_FOUND_CHARACTERISTIC;
    return count;
}

const struct ys_field *ys_peer_field(const struct ys_peer *peer, uint16_t handle)
{
    const struct discovered *one = peer_find(peer, handle);
    if (one == NULL)
        return NULL;
    const struct ys_characteristic *characteristic = definition_of(peer, one);
    if (characteristic != NULL)
        return &characteristic->type;
    if (one->told != NULL)
        return one->told;
    const struct ys_adopted *adopted =
        ys_adopted_by_number(YS_ADOPTED_CHARACTERISTIC, ys_uuid_number(&one->found.uuid));
    return adopted != NULL && adopted->type != NULL && adopted->type->format != NULL ? adopted->type : NULL;
}

static const char *found_name(const struct ys_peer *peer, const struct discovered *one)
{
    static const enum ys_adopted_kind kinds[] = {
        [YS_FOUND_SERVICE] = YS_ADOPTED_SERVICE,
        [YS_FOUND_CHARACTERISTIC] = YS_ADOPTED_CHARACTERISTIC,
        [YS_FOUND_DESCRIPTOR] = YS_ADOPTED_DESCRIPTOR,
        [YS_FOUND_INCLUDE] = YS_ADOPTED_SERVICE,
    };
    const struct ys_found *found = &one->found;
    const struct ys_service *service = peer->design != NULL ? ys_design_find_service(peer->design, &found->uuid) : NULL;
    const struct ys_characteristic *characteristic = definition_of(peer, one);
    const struct ys_adopted *adopted = ys_adopted_by_number(kinds[found->kind], ys_uuid_number(&found->uuid));
    if (found->kind == YS_FOUND_SERVICE && service != NULL)
        return service->name;
    if (found->kind == YS_FOUND_CHARACTERISTIC && characteristic != NULL)
        return characteristic->name;
    if (adopted != NULL)
        return adopted->name;
    return peer->design != NULL ? "(not in the definition)" : "(no name is known)";
}

const char *ys_peer_value_name(const struct ys_peer *peer, uint16_t handle, char *text, size_t size)
{
    const struct discovered *one = peer_find(peer, handle);
    const char *name = one != NULL ? found_name(peer, one) : "(";
    if (name[0] != '(')
        return name;
    (void)snprintf(text, size, "0x%04X", handle);
    return text;
}

const struct ys_found *ys_peer_item(const struct ys_peer *peer, size_t i)
{
    return i < peer->tree_count ? &peer->tree[i].found : NULL;
}

const char *ys_peer_item_name(const struct ys_peer *peer, size_t i)
{
    return found_name(peer, &peer->tree[i]);
}

void ys_properties_say(uint8_t properties, char *text, size_t size)
{
    size_t used = 0;
    text[0] = '\0';
    for (int way = 0; way < YS_WAYS; way++) {
        if ((properties & ys_ways[way].property) != 0 && used < size)
            used += (size_t)snprintf(text + used, size - used, "%s%s", used > 0 ? ", " : "", ys_ways[way].name);
    }
}

static void say_found(const struct ys_peer *peer, const struct discovered *one)
{
    const struct ys_found *found = &one->found;
    const struct ys_central *central = peer->central;
    char uuid[YS_UUID_TEXT_SIZE];
    char properties[80];
    (void)ys_uuid_format(&found->uuid, uuid);
    const char *name = found_name(peer, one);
    if (found->kind == YS_FOUND_SERVICE) {
        central_say(central, "  0x%04X %-40s %s", found->handle, name, uuid);
    } else if (found->kind == YS_FOUND_CHARACTERISTIC) {
        ys_properties_say(found->properties, properties, sizeof properties);
        central_say(central, "  0x%04X   %-38s %-36s %s", found->value_handle, name, uuid, properties);
    } else {
        char lower[64];
        size_t i = 0;
        for (; name[i] != '\0' && i + 1 < sizeof lower; i++)
            lower[i] = (char)(name[i] >= 'A' && name[i] <= 'Z' ? name[i] - 'A' + 'a' : name[i]);
        lower[i] = '\0';
        central_say(central, "  0x%04X     %-36s %s", found->handle, lower, uuid);
    }
}

void ys_peer_list(const struct ys_peer *peer)
{
    for (size_t i = 0; i < peer->tree_count; i++)
        say_found(peer, &peer->tree[i]);
}

/* Into the order of the handles, which is that of the tree. */
static int compare(const void *a, const void *b)
{
    const struct discovered *left = a;
    const struct discovered *right = b;
    return (int)left->found.handle - (int)right->found.handle;
}

void peer_sort(struct ys_peer *peer)
{
    struct discovered *characteristic = NULL;
    qsort(peer->tree, peer->tree_count, sizeof peer->tree[0], compare);
    for (size_t i = 0; i < peer->tree_count; i++) {
        struct discovered *one = &peer->tree[i];
        if (one->found.kind == YS_FOUND_CHARACTERISTIC)
            characteristic = one;
        else if (one->found.kind == YS_FOUND_SERVICE)
            characteristic = NULL;
        else if (characteristic != NULL && ys_uuid_number(&one->found.uuid) == 0x2902)
            characteristic->configuration = one->found.handle;
        else if (characteristic != NULL && ys_uuid_number(&one->found.uuid) == 0x2904)
            characteristic->presentation = one->found.handle;
    }
}
