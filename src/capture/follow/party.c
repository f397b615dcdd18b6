/* Who is in a capture. */
#include "capture/follow/party.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <yarnswift/advertisement.h>

#include "wire/utf8.h"

#define BUCKETS 1024

struct ys_parties {
    struct ys_party *buckets[BUCKETS];
    size_t count;
};

struct ys_parties *ys_parties_new(void)
{
    return calloc(1, sizeof(struct ys_parties));
}

void ys_parties_free(struct ys_parties *parties)
{
    if (parties == NULL)
        return;
    for (size_t i = 0; i < BUCKETS; i++) {
        while (parties->buckets[i] != NULL) {
            struct ys_party *party = parties->buckets[i];
            parties->buckets[i] = party->next;
            free(party->told);
            free(party);
        }
    }
    free(parties);
}

static size_t bucket_of(const struct ys_address *address)
{
    uint32_t hash = 2166136261u ^ (address->type & 1u);
    for (size_t i = 0; i < sizeof address->bytes; i++)
        hash = (hash ^ address->bytes[i]) * 16777619u;
    return (hash ^ hash >> 16) % BUCKETS;
}

struct ys_party *ys_party_of(struct ys_parties *parties, const struct ys_address *address)
{
    struct ys_party **bucket = &parties->buckets[bucket_of(address)];
    for (struct ys_party *party = *bucket; party != NULL; party = party->next) {
        if (memcmp(party->address.bytes, address->bytes, sizeof address->bytes) == 0 &&
            (party->address.type & 1) == (address->type & 1))
            return party;
    }
    struct ys_party *party = parties->count < YS_PARTIES_MOST ? calloc(1, sizeof *party) : NULL;
    if (party == NULL)
        return NULL;
    party->number = (uint32_t)parties->count++;
    party->address = *address;
    party->address.type &= 1;
    (void)snprintf(party->name, sizeof party->name, "%02x:%02x:%02x:%02x:%02x:%02x", address->bytes[5],
                   address->bytes[4], address->bytes[3], address->bytes[2], address->bytes[1], address->bytes[0]);
    party->next = *bucket;
    *bucket = party;
    return party;
}

void ys_party_name(struct ys_party *party, uint8_t named, const char *name, size_t length)
{
    if (party->named >= named || length == 0)
        return;
    ys_utf8_copy_name(party->name, sizeof party->name, name, length);
    party->named = named;
}

void ys_party_advertises(struct ys_party *party, const uint8_t *bytes, size_t length)
{
    struct ys_ad ad;
    if (party->advertised[0] != '\0' ||
        (!ys_ad_find(bytes, length, YS_AD_NAME, &ad) && !ys_ad_find(bytes, length, YS_AD_SHORT_NAME, &ad)))
        return;
    ys_utf8_copy_name(party->advertised, sizeof party->advertised, ad.data, ad.length);
    ys_party_name(party, 1, party->advertised, strlen(party->advertised));
}

/* Where a handle is among those that are known, or would be. */
static size_t place_of(const struct ys_party *party, uint16_t handle)
{
    size_t low = 0;
    size_t high = party->told_count;
    while (low < high) {
        size_t middle = (low + high) / 2;
        if (party->told[middle].handle < handle)
            low = middle + 1;
        else
            high = middle;
    }
    return low;
}

void ys_party_tell(struct ys_party *party, const struct ys_told *told)
{
    size_t place = place_of(party, told->handle);
    bool there = place < party->told_count && party->told[place].handle == told->handle;
    /* a descriptor that is found among others is no news of a value that was declared */
    if (there && told->kind == YS_TOLD_DESCRIPTOR && party->told[place].kind != YS_TOLD_DESCRIPTOR)
        return;
    if (!there) {
        struct ys_told *grown = realloc(party->told, (party->told_count + 1) * sizeof *grown);
        if (grown == NULL)
            return;
        party->told = grown;
        memmove(grown + place + 1, grown + place, (party->told_count++ - place) * sizeof *grown);
    }
    party->told[place] = *told;
}

const struct ys_told *ys_party_told(const struct ys_party *party, uint16_t handle)
{
    size_t place = place_of(party, handle);
    return place < party->told_count && party->told[place].handle == handle ? &party->told[place] : NULL;
}

/* The nearest of a kind at or before a handle; none after a service's beginning. */
static const struct ys_told *nearest(const struct ys_party *party, uint16_t handle, enum ys_told_kind kind)
{
    size_t place = place_of(party, handle);
    if (place < party->told_count && party->told[place].handle == handle)
        place++;
    for (; place > 0; place--) {
        const struct ys_told *told = &party->told[place - 1];
        if (told->kind == kind)
            return told;
        if (told->kind == YS_TOLD_SERVICE)
            return NULL;
    }
    return NULL;
}

const struct ys_told *ys_party_characteristic(const struct ys_party *party, uint16_t handle)
{
    return nearest(party, handle, YS_TOLD_CHARACTERISTIC);
}

const struct ys_told *ys_party_service(const struct ys_party *party, uint16_t handle)
{
    const struct ys_told *service = nearest(party, handle, YS_TOLD_SERVICE);
    return service != NULL && handle <= service->last ? service : NULL;
}
