/* Pairing, encryption and remembered peers (Core 5.4 Vol 3 Part H), in both roles.
 *
 * A host uses them if its owner gives it the memory before the start. It then answers who wants to pair, encrypts the
 * links of peers that it remembers, and unless told to wait begins security by itself where a right demands it. What
 * people have to do is asked by events, and answered by the calls below: at once, or later; everything else goes on
 * meanwhile. One pairing runs at a time; a second peer is answered that the device is busy.
 *
 * All calls: from handlers, events and the main loop. */
#ifndef YARNSWIFT_PAIRING_H
#define YARNSWIFT_PAIRING_H

#include <yarnswift/host.h>
#include <yarnswift/security.h>

#ifdef __cplusplus
extern "C" {
#endif

/* A key with the name by which a peripheral finds it. Private. */
struct ys_key {
    uint8_t value[16];
    uint8_t random[8];
    uint16_t diversifier;
};

/* A peer that is remembered. Values stand as the standard prints them. Private. */
struct ys_bond {
    struct ys_address identity;
    uint8_t flags;
    uint8_t key_size;
    uint8_t identity_key[16];
    struct ys_key given; /* for links on which this device is the peripheral */
    struct ys_key taken; /* for those on which it is the central */
    uint32_t used;       /* a count: the greater, the more recently */
};

/* Data for pairing out of band: what one device hands to the other by another way. */
struct ys_oob {
    uint8_t random[16];  /* LE Secure Connections: r, most significant byte first */
    uint8_t confirm[16]; /* the same C (Vol 3 Part H 2.3.5.6.4) */
};

struct ys_pairing_step;
struct ys_pairing_calls;

/* The memory of pairing. Its fields are private; the type is complete so that the owner can give it. */
struct ys_pairing {
    struct ys_extra extra;
    const struct ys_security *security;
    const struct ys_pairing_calls *calls;
    struct ys_connection *connection; /* that is pairing; NULL: none */
    const struct ys_pairing_step *step;
    const struct ys_oob *peer_oob; /* what came from the peer out of band; NULL: nothing */
    const uint8_t *legacy_oob;     /* 16 bytes that both know */
    uint32_t deadline_ms;
    uint32_t quiet_until_ms; /* after a failure nobody may try for a while */
    uint32_t passkey;
    uint8_t failures; /* in a row */
    uint8_t met;      /* bits: what has happened that a step may need */
    uint8_t method;
    uint8_t round;
    uint8_t key_size;
    uint8_t keys_in;
    uint8_t keys_out;
    uint8_t curve; /* what it computes */
    uint8_t held_length;
    bool initiator;
    bool secure_connections;
    bool bonds;
    bool refused_all; /* ys_pairing_allow */
    bool own_key_known;
    bool oob_wanted;
    bool oob_given;     /* the own key and random number were handed out of band */
    bool tainted;       /* a secret may have been tried */
    uint8_t request[7]; /* as on the air */
    uint8_t response[7];
    uint8_t held[65];    /* a PDU that came before its time */
    uint8_t own_key[64]; /* public, X before Y; also the next: */
    uint8_t peer_key[64];
    uint8_t secret[32]; /* the shared secret; the temporary key of legacy pairing */
    uint8_t own_random[16];
    uint8_t peer_random[16];
    uint8_t peer_confirm[16];
    uint8_t oob_random[16];
    uint8_t mac_key[16];
    uint8_t key[16]; /* short-term or long-term */
    uint8_t kept_key[16];
    const struct ys_connection *kept; /* that has this key, and no bond; NULL: none */
    uint8_t own_identity_key[16];
    uint8_t own_address[6];
    struct ys_bond bond; /* that is being made */
    uint32_t rotate_ms;
    struct ys_address identity;
    uint8_t resolving_step;
    uint8_t resolving_number;
    bool resolving_due;
    bool has_listed;
    struct ys_address listed; /* who is on the resolving list */
    bool resolves_alone;
    bool identity_due; /* its own key and address: the port has no random numbers yet */
    bool has_public_identity;
};

/* Lets a host use pairing. Between ys_host_init and ys_host_start; `pairing` is the host's from then on, and `security`
 * stays the caller's and must stay valid. It reads the device's own identity from the store, or draws it: a static
 * address that settings leave to chance is then always the same. YS_ERROR_ARGUMENT: a value of `security` is out of its
 * range; YS_ERROR_PORT_RANDOM (it has none, or has no numbers now), YS_ERROR_PORT_CIPHER, YS_ERROR_PORT_CURVE,
 * YS_ERROR_PORT_STORE: the port lacks what it needs.
 */
enum ys_result ys_host_use_pairing(struct ys_host *host, struct ys_pairing *pairing,
                                   const struct ys_security *security);

/* Brings a connection to a level (enum ys_level), if it is not there: as central by encryption with the key of a
 * remembered peer, or else by pairing; as peripheral by asking the central for it. YS_EVENT_SECURED reports it, also if
 * it was there already; or YS_EVENT_PAIRING_FAILED, YS_EVENT_ENCRYPTION_FAILED. A peripheral whose central does nothing
 * hears nothing.
 * YS_ERROR_NO_CONNECTION, YS_ERROR_ARGUMENT, YS_ERROR_UNSUPPORTED (it needs ys_host_use_pairing), YS_ERROR_BUSY: a
 * pairing goes on; YS_ERROR_TOO_LATE: a pairing on this connection ran out of time, which only a new connection ends.
 */
enum ys_result ys_secure(struct ys_host *host, uint16_t connection, uint8_t level);

/* As central: encrypts a connection anew, with a fresh session key (Vol 6 Part B 5.1.3.2). YS_EVENT_SECURED reports it.
 * YS_ERROR_NO_CONNECTION, YS_ERROR_UNSUPPORTED; YS_ERROR_ARGUMENT: there is no key, or this is the peripheral;
 * YS_ERROR_BUSY. Of the peers that are not remembered, only who has paired last can be encrypted anew. */
enum ys_result ys_encryption_refresh(struct ys_host *host, uint16_t connection);

/* Enters the passkey after YS_EVENT_PASSKEY_WANTED: 0 to 999,999. YS_ERROR_ARGUMENT; YS_ERROR_TOO_LATE: it is not (or
 * no longer) waited for. */
enum ys_result ys_passkey_enter(struct ys_host *host, uint16_t connection, uint32_t passkey);

/* Answers YS_EVENT_NUMBER_COMPARE: whether both show the same number. YS_ERROR_TOO_LATE: nothing is being compared. */
enum ys_result ys_number_confirm(struct ys_host *host, uint16_t connection, bool same);

/* Ends a pairing: the other side is told that the passkey was not entered. YS_ERROR_TOO_LATE: there is none. */
enum ys_result ys_pairing_cancel(struct ys_host *host, uint16_t connection);

/* Whether anybody may pair from now on: true at first. Who is remembered comes back in any case. */
void ys_pairing_allow(struct ys_host *host, bool allow);

/* Makes this device's data for pairing out of band; YS_EVENT_OOB_READY brings them. They are good for the next pairing.
 * YS_ERROR_UNSUPPORTED: the port has no curve; YS_ERROR_BUSY: a pairing goes on. */
enum ys_result ys_oob_make(struct ys_host *host);

/* Gives what came from the peer out of band, for LE Secure Connections, for legacy pairing (16 bytes that both know,
 * most significant first), or both; NULL: nothing. Both stay the caller's and must stay valid until replaced. */
void ys_oob_set(struct ys_host *host, const struct ys_oob *peer, const uint8_t *legacy);

/* The number of a remembered peer, from 1, by its identity address, or by one of its resolvable ones; 0: none. */
uint8_t ys_bond_find(struct ys_host *host, const struct ys_address *peer);

/* The identity of the remembered peer with this number. False if there is none. */
bool ys_bond_get(struct ys_host *host, uint8_t number, struct ys_address *identity, uint8_t *level);

/* Forgets a peer, with all that was kept of it, or with 0 all of them. Its connection, if there is one, stays as it is.
 * YS_ERROR_ARGUMENT: nothing is remembered there. */
enum ys_result ys_bond_forget(struct ys_host *host, uint8_t number);

#ifdef __cplusplus
}
#endif

#endif
