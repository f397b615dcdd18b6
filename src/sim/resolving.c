/* The resolving list (Core 5.4 Vol 6 Part B 4.7, 6): whose addresses a controller makes and resolves by itself. */
#include "sim/resolving.h"

#include <string.h>

#include "machine/crypto.h"
#include "sim/controller_state.h"

#define TIMEOUT_USUAL_S 900

static const uint8_t no_key[16];

/* Vol 3 Part H 2.2.2: the hash of a random part, by a key in air order. */
static void hash_of(const uint8_t key[16], const uint8_t random[3], uint8_t hash[3])
{
    uint8_t reversed[16];
    uint8_t block[16] = {0};
    for (size_t i = 0; i < sizeof reversed; i++)
        reversed[i] = key[15 - i];
    for (size_t i = 0; i < 3; i++)
        block[15 - i] = random[i];
    (void)ys_crypto_encrypt(reversed, block, block);
    for (size_t i = 0; i < 3; i++)
        hash[i] = block[15 - i];
}

static bool has_key(const uint8_t key[16])
{
    return memcmp(key, no_key, sizeof no_key) != 0;
}

static bool is_resolvable(const struct ys_address *address)
{
    return address->type == YS_ADDRESS_RANDOM && address->bytes[5] >> 6 == 1;
}

/* Vol 6 Part B 1.3.2.3. */
static bool is_made_by(const uint8_t key[16], const struct ys_address *address)
{
    uint8_t hash[3];
    if (!is_resolvable(address) || !has_key(key))
        return false;
    hash_of(key, address->bytes + 3, hash);
    return memcmp(hash, address->bytes, sizeof hash) == 0;
}

/* A new address by a key (Vol 6 Part B 1.3.2.2). */
static struct ys_address make(struct ys_controller *controller, const uint8_t key[16])
{
    struct ys_address address = {.type = YS_ADDRESS_RANDOM};
    ys_chance_fill(&controller->chance, address.bytes + 3, 3);
    address.bytes[5] = (uint8_t)((address.bytes[5] & 0x3f) | 0x40);
    hash_of(key, address.bytes + 3, address.bytes);
    return address;
}

struct resolving *resolving_entry(struct ys_controller *controller, const struct ys_address *identity)
{
    for (uint8_t i = 0; i < controller->resolving_count; i++) {
        if (ys_address_is_equal(&controller->resolving[i].keys.identity, identity))
            return &controller->resolving[i];
    }
    return NULL;
}

/* Vol 6 Part B 4.7. */
bool resolving_identify(const struct ys_controller *controller, const struct ys_address *address,
                        struct ys_address *identity)
{
    for (uint8_t i = 0; controller->resolves && i < controller->resolving_count; i++) {
        if (is_made_by(controller->resolving[i].keys.peer_key, address)) {
            *identity = controller->resolving[i].keys.identity;
            return true;
        }
    }
    *identity = *address;
    return false;
}

/* Vol 6 Part B 6. */
bool resolving_is(const struct ys_controller *controller, const struct ys_address *wanted,
                  const struct ys_address *address)
{
    struct ys_address identity;
    if (is_resolvable(wanted) && ys_address_is_equal(address, wanted))
        return true;
    if (resolving_identify(controller, address, &identity))
        return ys_address_is_equal(&identity, wanted);
    if (!ys_address_is_equal(address, wanted))
        return false;
    /* Vol 6 Part B 4.7: who has given a key must use it, unless only the device itself is private */
    for (uint8_t i = 0; controller->resolves && i < controller->resolving_count; i++) {
        const struct resolving *entry = &controller->resolving[i];
        if (ys_address_is_equal(&entry->keys.identity, address) && has_key(entry->keys.peer_key) &&
            !entry->device_privacy)
            return false;
    }
    return true;
}

bool resolving_is_own(const struct ys_controller *controller, const struct ys_address *target)
{
    for (uint8_t i = 0; controller->resolves && i < controller->resolving_count; i++) {
        if (is_made_by(controller->resolving[i].keys.own_key, target))
            return true;
    }
    return false;
}

struct ys_address resolving_target(struct ys_controller *controller, const struct ys_address *peer)
{
    const struct resolving *entry = controller->resolves ? resolving_entry(controller, peer) : NULL;
    return entry != NULL && has_key(entry->keys.peer_key) ? make(controller, entry->keys.peer_key) : *peer;
}

/* Vol 6 Part B 6. */
bool resolving_own(struct ys_controller *controller, const struct ys_address *peer, struct ys_address *own)
{
    struct ys_address identity;
    (void)resolving_identify(controller, peer, &identity);
    struct resolving *entry = controller->resolves ? resolving_entry(controller, &identity) : NULL;
    uint64_t now_ns = ys_clock_now_ns(controller->clock);
    if (entry == NULL || !has_key(entry->keys.own_key))
        return false;
    if (entry->made_ns == 0 || now_ns - entry->made_ns >= controller->resolving_timeout_s * 1000 * YS_NS_PER_MS) {
        entry->own = make(controller, entry->keys.own_key);
        entry->made_ns = now_ns + 1; /* 0: never */
    }
    *own = entry->own;
    return true;
}

void resolving_reset(struct ys_controller *controller)
{
    controller->resolving_count = 0;
    controller->resolves = false;
    controller->resolving_timeout_s = TIMEOUT_USUAL_S;
}
