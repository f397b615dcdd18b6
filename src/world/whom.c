/* Whom a central knows. */
#include "world/whom.h"

#include <stdlib.h>

#include "world/peer.h"

struct ys_peer *central_find_peer(const struct ys_central *central, const struct ys_address *address)
{
    struct ys_peer *peer = central->peers;
    while (peer != NULL && !ys_address_is_equal(&peer->address, address))
        peer = peer->next;
    return peer;
}

/* Which definition it has, if that is known. */
static void ask_for(struct ys_peer *peer)
{
    const struct ys_central *central = peer->central;
    peer->name = peer->address_text;
    peer->defined = central->known(central->context, &peer->address, &peer->name);
    peer->design = central->traits->knows ? peer->defined : NULL;
    peer_define(peer, 0);
}

void ys_central_found_is_known(struct ys_central *central)
{
    if (central->found != NULL)
        ask_for(central->found);
}

struct ys_peer *ys_central_peer(struct ys_central *central, const struct ys_address *address)
{
    struct ys_peer *peer = central_find_peer(central, address);
    if (peer != NULL)
        return peer;
    peer = calloc(1, sizeof *peer);
    if (peer == NULL)
        return NULL;
    peer->central = central;
    peer->address = *address;
    (void)ys_address_format(address, peer->address_text);
    ask_for(peer);
    peer->cache = (struct ys_client_cache){.items = peer->items, .capacity = FOUND_MOST};
    peer->next = central->peers;
    central->peers = peer;
    return peer;
}

struct ys_peer *ys_central_peer_named(const struct ys_central *central, const char *name)
{
    struct ys_peer *found = NULL;
    for (struct ys_peer *peer = central->peers; peer != NULL; peer = peer->next) { /* the newest first */
        if (peer->name != name)
            continue;
        if (peer->connected)
            return peer;
        if (found == NULL || (found->connections == 0 && peer->connections > 0))
            found = peer;
    }
    return found;
}

struct ys_peer *central_peer_of(const struct ys_central *central, uint16_t connection)
{
    struct ys_peer *peer = central->peers;
    while (peer != NULL && (!peer->connected || peer->connection != connection))
        peer = peer->next;
    return peer;
}

struct ys_peer *ys_central_connected(const struct ys_central *central, size_t *count)
{
    struct ys_peer *found = NULL;
    *count = 0;
    for (struct ys_peer *peer = central->peers; peer != NULL; peer = peer->next) {
        if (!peer->connected)
            continue;
        found = peer;
        ++*count;
    }
    return found;
}
