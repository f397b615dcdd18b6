/* The keys that two devices give each other once their link is encrypted (Core 5.4 Vol 3 Part H 3.6): first the
 * responder gives all of its own, then the initiator. */
#include "host/smp/keys.h"

#include <string.h>

#include "host/smp/session.h"
#include "host/smp/tools.h"

/* The PDUs of keys, in the order in which they go. */
static const uint8_t order[] = {YS_SMP_ENCRYPTION_INFORMATION, YS_SMP_CENTRAL_IDENTIFICATION,
                                YS_SMP_IDENTITY_INFORMATION, YS_SMP_IDENTITY_ADDRESS, YS_SMP_SIGNING_INFORMATION};

const struct ys_pairing_step ys_keys_steps[] = {{NEEDS_KEYS, 0, NULL}};

/* Bits of PDUs in that order, by bits of keys: the first and the second key have two each. */
static uint8_t pdus_of(uint8_t keys)
{
    static const uint8_t pdus[] = {0x00, 0x03, 0x0c, 0x0f, 0x10, 0x13, 0x1c, 0x1f};
    return pdus[keys & (YS_SMP_ENC_KEY | YS_SMP_ID_KEY | YS_SMP_SIGN_KEY)];
}

/* Vol 3 Part H 2.4.1, 2.4.2.1, 3.6.1. */
uint8_t ys_keys_prepare(struct ys_host *host, const struct ys_smp_pdu *request, const struct ys_smp_pdu *response)
{
    struct ys_pairing *pairing = host->pairing;
    struct ys_bond *bond = &pairing->bond;
    bool secure = pairing->secure_connections;
    /* a key of LE Secure Connections is not given, since both have it (Vol 3 Part H 3.6.1) */
    uint8_t given = (uint8_t) ~(secure ? YS_SMP_ENC_KEY : 0);
    uint8_t by_initiator = pdus_of(request->initiator_keys & response->initiator_keys & given);
    uint8_t by_responder = pdus_of(request->responder_keys & response->responder_keys & given);
    pairing->keys_in = pairing->initiator ? by_responder : by_initiator;
    pairing->keys_out = pairing->initiator ? by_initiator : by_responder;
    pairing->bonds = (request->requirements & response->requirements & YS_SMP_BONDING) != 0;
    *bond = (struct ys_bond){.identity = pairing->connection->peer, .key_size = pairing->key_size};
    if (secure)
        bond->flags |= BOND_SECURE_CONNECTIONS;
    if (pairing->method != YS_METHOD_JUST_WORKS)
        bond->flags |= BOND_AUTHENTICATED;
    if ((pairing->keys_out & 1) == 0)
        return GOOD;
    /* the key of legacy pairing by which this side will be known; a short one ends in zeros */
    struct ys_key *key = &bond->given;
    if (!ys_pairing_random(host, key->value, sizeof key->value) ||
        !ys_pairing_random(host, key->random, sizeof key->random) ||
        !ys_pairing_random(host, &key->diversifier, sizeof key->diversifier))
        return YS_SMP_UNSPECIFIED;
    memset(key->value, 0, (size_t)16 - pairing->key_size);
    bond->flags |= BOND_HAS_GIVEN;
    return GOOD;
}

static uint8_t lowest(uint8_t bits)
{
    uint8_t i = 0;
    while ((bits >> i & 1) == 0)
        i++;
    return i;
}

/* Vol 3 Part H 2.4.3, 3.6.2, 3.6.3, 3.6.4, 3.6.5. */
uint8_t ys_keys_in(struct ys_host *host, const struct ys_smp_pdu *pdu)
{
    struct ys_pairing *pairing = host->pairing;
    struct ys_bond *bond = &pairing->bond;
    if (pairing->keys_in == 0 || order[lowest(pairing->keys_in)] != pdu->code ||
        (pairing->keys_out != 0 && !pairing->initiator))
        return YS_SMP_UNSPECIFIED;
    pairing->keys_in &= (uint8_t)(pairing->keys_in - 1);
    switch (pdu->code) {
    case YS_SMP_ENCRYPTION_INFORMATION:
        ys_pairing_reverse(bond->taken.value, pdu->value, 16);
        bond->flags |= BOND_HAS_TAKEN;
        break;
    case YS_SMP_CENTRAL_IDENTIFICATION:
        bond->taken.diversifier = pdu->diversifier;
        memcpy(bond->taken.random, pdu->random, sizeof bond->taken.random);
        break;
    case YS_SMP_IDENTITY_INFORMATION:
        ys_pairing_reverse(bond->identity_key, pdu->value, 16);
        break;
    case YS_SMP_IDENTITY_ADDRESS:
        /* only a public address or a static one is an identity (Vol 6 Part B 1.3) */
        if (pdu->identity.type > YS_ADDRESS_RANDOM ||
            (pdu->identity.type == YS_ADDRESS_RANDOM && pdu->identity.bytes[5] >> 6 != 3))
            return YS_SMP_INVALID_PARAMETERS;
        bond->identity = pdu->identity;
        bond->flags |= BOND_HAS_IDENTITY_KEY;
        break;
    default: /* signed writes are not supported: their key is not kept */
        break;
    }
    return GOOD;
}

/* Vol 3 Part H 2.4.2.3, 3.6.2, 3.6.3, 3.6.4, 3.6.5. */
static void fill(const struct ys_host *host, struct ys_smp_pdu *pdu)
{
    const struct ys_key *key = &host->pairing->bond.given;
    switch (pdu->code) {
    case YS_SMP_ENCRYPTION_INFORMATION:
        ys_pairing_reverse(pdu->value, key->value, 16);
        break;
    case YS_SMP_CENTRAL_IDENTIFICATION:
        pdu->diversifier = key->diversifier;
        memcpy(pdu->random, key->random, sizeof pdu->random);
        break;
    case YS_SMP_IDENTITY_INFORMATION:
        ys_pairing_reverse(pdu->value, host->pairing->own_identity_key, 16);
        break;
    default:
        pdu->identity = host->pairing->security->privacy ? host->pairing->identity : host->address;
        break;
    }
}

/* Vol 3 Part H 2.4.3. */
bool ys_keys_run(struct ys_host *host)
{
    struct ys_pairing *pairing = host->pairing;
    if (pairing->keys_out != 0 && (!pairing->initiator || pairing->keys_in == 0)) {
        struct ys_smp_pdu pdu = {.code = order[lowest(pairing->keys_out)]};
        pairing->keys_out &= (uint8_t)(pairing->keys_out - 1);
        fill(host, &pdu);
        ys_pairing_send(host, pairing->connection, &pdu);
        ys_pairing_wipe(&pdu, sizeof pdu);
    }
    return pairing->keys_out == 0 && pairing->keys_in == 0;
}
