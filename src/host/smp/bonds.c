/* Peers that are remembered: one record of the port's store for each, with a check value by which a damaged one is
 * known. A record is written whole or not at all, and before a new bond takes a number, what was kept of the client of
 * that number is gone: whatever is interrupted, there is the old bond, or none, or the new one. */
#include "host/smp/bonds.h"

#include <string.h>

#include "host/core/connections.h"
#include "host/core/context.h"
#include "host/core/events.h"
#include "host/core/hooks.h"
#include "host/core/wear.h"
#include "host/smp/step.h"
#include "host/smp/toolbox.h"
#include "host/smp/tools.h"
#include "wire/hci.h"

#define VERSION    2
#define CHECK_SIZE 4

/* As it lies in the store, which is the device's own. */
struct bond_record {
    uint8_t check[CHECK_SIZE]; /* of all that follows */
    uint8_t version;
    struct ys_bond bond;
};

_Static_assert(sizeof(struct bond_record) <= YS_RECORD_MAX, "a port's store must have room for a bond");

static uint16_t record_of(uint8_t number)
{
    return (uint16_t)(YS_RECORDS_OF_BONDS + number);
}

/* Not against forgery, which needs access to the store: against writes that failed half-way, and worn memory. */
static bool check_of(const struct ys_host *host, const struct bond_record *record, uint8_t mac[16])
{
    static const uint8_t zeros[16];
    const struct ys_cipher cipher = ys_pairing_cipher(host);
    return ys_toolbox_cmac(&cipher, zeros, (const uint8_t *)record + CHECK_SIZE, sizeof *record - CHECK_SIZE, mac);
}

static bool save_bond(const struct ys_host *host, uint8_t number, const struct ys_bond *bond)
{
    uint8_t mac[16];
    struct bond_record record;
    memset(&record, 0, sizeof record);
    memcpy(&record.bond, bond, sizeof *bond);
    record.version = VERSION;
    bool good = check_of(host, &record, mac);
    memcpy(record.check, mac, sizeof record.check);
    good = good && host->port->store_put(host->port->context, record_of(number), &record, sizeof record);
    ys_pairing_wipe(&record, sizeof record);
    return good;
}

static bool is_whole(const struct ys_host *host, const struct bond_record *record)
{
    uint8_t mac[16];
    return record->version == VERSION && check_of(host, record, mac) &&
           memcmp(record->check, mac, sizeof record->check) == 0 && record->bond.key_size >= 7 &&
           record->bond.key_size <= 16;
}

bool ys_bond_keys(const uint8_t *record, size_t length, uint8_t keys[2][16])
{
    struct bond_record kept;
    if (length != sizeof kept)
        return false;
    memcpy(&kept, record, sizeof kept);
    memcpy(keys[0], kept.bond.given.value, sizeof kept.bond.given.value);
    memcpy(keys[1], kept.bond.taken.value, sizeof kept.bond.taken.value);
    return kept.version == VERSION;
}

void ys_bonds_emit(struct ys_host *host, uint8_t number, enum ys_bond_change change)
{
    struct ys_event event = {.kind = YS_EVENT_BOND};
    event.u.bond.number = number;
    event.u.bond.change = (uint8_t)change;
    ys_emit(host, &event);
}

/* A connection of a peer that is forgotten goes on as if it had never been remembered: the number may soon be
 * another's. One that is just being encrypted with the key of the bond will end when it is (encryption.c). */
static void detach_bond(struct ys_host *host, uint8_t number)
{
    for (struct ys_connection *connection = NULL; (connection = ys_connection_next(host, connection)) != NULL;) {
        if (connection->remembered == number)
            connection->remembered = 0;
        if (connection->keys.key_from == number)
            connection->keys.key_from = 0;
    }
}

/* The client's record goes last: without its bond it has no owner. */
static void drop_bond(struct ys_host *host, uint8_t number, enum ys_bond_change change)
{
    detach_bond(host, number);
    host->port->store_delete(host->port->context, record_of(number));
    host->pairing->resolving_due = true;
    host->pairing->calls->bond_gone(host, number);
    ys_bonds_emit(host, number, change);
}

bool ys_bonds_load(struct ys_host *host, uint8_t number, struct ys_bond *bond)
{
    struct bond_record record;
    if (number == 0 || number > host->pairing->security->bonds)
        return false;
    size_t length = host->port->store_get(host->port->context, record_of(number), &record, sizeof record);
    bool good = length == sizeof record && is_whole(host, &record);
    if (good)
        *bond = record.bond;
    if (length > 0 && !good) {
        ys_host_log(host, "dropped a damaged record of the remembered peer", number);
        drop_bond(host, number, YS_BOND_DAMAGED);
    }
    ys_pairing_wipe(&record, sizeof record);
    return good;
}

uint8_t ys_bonds_next(struct ys_host *host, uint8_t number, struct ys_bond *bond)
{
    while (++number <= host->pairing->security->bonds) {
        if (ys_bonds_load(host, number, bond))
            return number;
    }
    return 0;
}

/* Whether an address is one of the bond's peer: its identity, or a resolvable one made with its key (Vol 6 Part B
 * 1.3.2.3). */
static bool is_of(const struct ys_host *host, const struct ys_bond *bond, const struct ys_address *address)
{
    const struct ys_cipher cipher = ys_pairing_cipher(host);
    uint8_t random[3];
    uint8_t hash[3];
    uint8_t expected[3];
    if (ys_address_is_equal(&bond->identity, address))
        return true;
    if (address->type != YS_ADDRESS_RANDOM || address->bytes[5] >> 6 != 1 || (bond->flags & BOND_HAS_IDENTITY_KEY) == 0)
        return false;
    ys_pairing_reverse(random, address->bytes + 3, sizeof random);
    ys_pairing_reverse(expected, address->bytes, sizeof expected);
    return ys_toolbox_ah(&cipher, bond->identity_key, random, hash) && memcmp(hash, expected, sizeof hash) == 0;
}

/* The bond of a peer, and its number; 0: there is none. */
static uint8_t find_bond(struct ys_host *host, const struct ys_address *peer, struct ys_bond *bond)
{
    uint8_t number = 0;
    do
        number = ys_bonds_next(host, number, bond);
    while (number != 0 && !is_of(host, bond, peer));
    return number;
}

uint8_t ys_bond_find(struct ys_host *host, const struct ys_address *peer)
{
    struct ys_bond bond;
    uint8_t number = host->pairing != NULL ? find_bond(host, peer, &bond) : 0;
    ys_pairing_wipe(&bond, sizeof bond);
    return number;
}

uint8_t ys_bonds_find_key(struct ys_host *host, const struct ys_connection *connection,
                          const struct ys_hci_key_name *name)
{
    static const uint8_t zeros[8];
    struct ys_bond bond;
    uint8_t found = 0;
    /* a key of LE Secure Connections has no name: it is the peer's */
    if (name->diversifier == 0 && memcmp(name->random, zeros, sizeof zeros) == 0)
        return ys_bond_find(host, &connection->peer);
    do
        found = ys_bonds_next(host, found, &bond);
    while (found != 0 && (bond.given.diversifier != name->diversifier ||
                          memcmp(bond.given.random, name->random, sizeof name->random) != 0));
    ys_pairing_wipe(&bond, sizeof bond);
    return found;
}

/* The first free number; 0: there is none. And the one that was used least recently, if there is any. */
static uint8_t look_for_room(struct ys_host *host, uint8_t *oldest, uint32_t *latest)
{
    struct ys_bond bond;
    uint32_t least = UINT32_MAX;
    uint8_t room = 0;
    *oldest = 0;
    *latest = 0;
    for (uint8_t number = 1; number <= host->pairing->security->bonds; number++) {
        if (!ys_bonds_load(host, number, &bond)) {
            room = room == 0 ? number : room;
            continue;
        }
        if (bond.used > *latest)
            *latest = bond.used;
        if (bond.used <= least) {
            least = bond.used;
            *oldest = number;
        }
    }
    ys_pairing_wipe(&bond, sizeof bond);
    return room;
}

bool ys_bonds_have_room(struct ys_host *host, const struct ys_address *peer)
{
    uint8_t oldest;
    uint32_t latest;
    return host->pairing->security->forgets || ys_bond_find(host, peer) != 0 ||
           look_for_room(host, &oldest, &latest) != 0;
}

bool ys_bonds_would_weaken(struct ys_host *host, const struct ys_address *peer, const struct ys_bond *made)
{
    struct ys_bond bond;
    const uint8_t strengths = BOND_AUTHENTICATED | BOND_SECURE_CONNECTIONS;
    bool weaker = find_bond(host, peer, &bond) != 0 &&
                  ((bond.flags & ~made->flags & strengths) != 0 || bond.key_size > made->key_size);
    ys_pairing_wipe(&bond, sizeof bond);
    return weaker;
}

void ys_bonds_touch(struct ys_host *host, uint8_t number, struct ys_bond *bond)
{
    uint8_t oldest;
    uint32_t latest;
    if (!host->pairing->security->forgets) /* nobody asks */
        return;
    (void)look_for_room(host, &oldest, &latest);
    if (bond->used == latest || !ys_store_may_write(host))
        return;
    bond->used = latest + 1;
    (void)save_bond(host, number, bond);
}

/* Where a new bond goes: the place of the same peer, which keeps what it has subscribed to; a free one; or that of the
 * one that is forgotten for it. */
static uint8_t place_for(struct ys_host *host, const struct ys_address *identity, uint32_t *latest)
{
    uint8_t oldest;
    uint8_t room = look_for_room(host, &oldest, latest);
    uint8_t number = ys_bond_find(host, identity);
    if (number != 0)
        return number;
    if (room == 0 && host->pairing->security->forgets && oldest != 0) {
        room = oldest;
        drop_bond(host, oldest, YS_BOND_FORGOTTEN);
    }
    if (room != 0)
        host->pairing->calls->bond_gone(host, room);
    return room;
}

/* Vol 3 Part C 9.4.4. */
uint8_t ys_bonds_make(struct ys_host *host, uint8_t *reason)
{
    struct ys_pairing *pairing = host->pairing;
    struct ys_bond *bond = &pairing->bond;
    uint32_t latest = 0;
    if (ys_bonds_would_weaken(host, &bond->identity, bond)) { /* somebody says to be who is known better */
        *reason = YS_SMP_KEY_REJECTED;
        return 0;
    }
    if (pairing->secure_connections) {
        memcpy(bond->given.value, pairing->key, sizeof pairing->key);
        memcpy(bond->taken.value, pairing->key, sizeof pairing->key);
        bond->flags |= BOND_HAS_GIVEN | BOND_HAS_TAKEN;
    }
    if ((bond->flags & (BOND_HAS_GIVEN | BOND_HAS_TAKEN)) == 0) /* no key was given: there is nothing to keep */
        return 0;
    bool may_write = (bond->flags & BOND_AUTHENTICATED) != 0 || ys_store_may_write(host); /* anybody can do it again */
    uint8_t number = may_write ? place_for(host, &bond->identity, &latest) : 0;
    bond->used = latest + 1;
    if (number == 0 || !save_bond(host, number, bond)) {
        ys_bonds_emit(host, number, YS_BOND_NOT_STORED);
        return 0;
    }
    pairing->resolving_due = true;
    return number;
}

bool ys_bond_get(struct ys_host *host, uint8_t number, struct ys_address *identity, uint8_t *level)
{
    struct ys_bond bond;
    if (host->pairing == NULL || !ys_bonds_load(host, number, &bond))
        return false;
    const struct ys_link_security security = {
        .key_size = bond.key_size,
        .authenticated = (bond.flags & BOND_AUTHENTICATED) != 0,
        .secure_connections = (bond.flags & BOND_SECURE_CONNECTIONS) != 0,
    };
    *identity = bond.identity;
    *level = ys_link_level(&security);
    ys_pairing_wipe(&bond, sizeof bond);
    return true;
}

enum ys_result ys_bond_forget(struct ys_host *host, uint8_t number)
{
    YS_NOT_IN_INTERRUPT(host, "ys_bond_forget");
    struct ys_bond bond;
    enum ys_result result = YS_ERROR_ARGUMENT;
    if (host->pairing == NULL)
        return YS_ERROR_ARGUMENT;
    for (uint8_t each = 1; each <= host->pairing->security->bonds; each++) {
        if ((number != 0 && number != each) || !ys_bonds_load(host, each, &bond))
            continue;
        drop_bond(host, each, YS_BOND_FORGOTTEN);
        result = YS_OK;
    }
    ys_pairing_wipe(&bond, sizeof bond);
    return number == 0 ? YS_OK : result;
}

/* The key by which this device makes its own resolvable addresses, and its static address if it has no other: drawn
 * once, and kept, since peers know it by them. */
bool ys_bonds_load_identity(struct ys_host *host)
{
    struct ys_pairing *pairing = host->pairing;
    const struct ys_port *port = host->port;
    uint8_t record[16 + 6];
    size_t length =
        port->store_get == NULL ? 0 : port->store_get(port->context, YS_RECORD_OF_DEVICE, record, sizeof record);
    bool good = length == sizeof record || ys_pairing_random(host, record, sizeof record);
    if (length != sizeof record && good && port->store_put != NULL &&
        !port->store_put(port->context, YS_RECORD_OF_DEVICE, record, sizeof record))
        ys_host_log(host, "there is no room in the store for the device's own identity", 0);
    memcpy(pairing->own_identity_key, record, 16);
    memcpy(pairing->own_address, record + 16, 6);
    ys_pairing_wipe(record, sizeof record);
    return good;
}
