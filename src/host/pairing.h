/* What the files of pairing share. Values stand most significant byte first, as the standard prints them; they are
 * turned around where they come from the air, and go there. */
#ifndef HOST_PAIRING_H
#define HOST_PAIRING_H

#include <yarnswift/pairing.h>

#include "host/internal.h"
#include "host/toolbox.h"
#include "wire/smp.h"

#define SMP_TIMEOUT_MS 30000 /* Vol 3 Part H 3.4 */

/* Vol 3 Part H 2.3.6: after a failure nobody may try for a while, twice as long after each. */
#define QUIET_LEAST_MS 1000
#define QUIET_MOST_MS  300000
#define QUIET_DECAY_MS 3600000

/* Where the key of a link came from, beside the numbers of bonds. */
#define KEY_OF_PAIRING 0xff

#define BONDS_MOST 64

/* Flags of a bond. */
#define BOND_AUTHENTICATED      0x01
#define BOND_SECURE_CONNECTIONS 0x02
#define BOND_HAS_IDENTITY_KEY   0x04
#define BOND_HAS_GIVEN          0x08
#define BOND_HAS_TAKEN          0x10

/* Bits of `met`. */
#define MET_USER    0x01
#define MET_REFUSED 0x02
#define MET_OWN_KEY 0x04
#define MET_SECRET  0x08
#define MET_LINK    0x10 /* it is encrypted */

/* What the controller waits for, in `key_asked` of a connection. */
enum key_answer { KEY_NOT_ASKED, KEY_KNOWN, KEY_UNKNOWN };

/* What the curve computes. */
enum curve_job { CURVE_IDLE, CURVE_KEY, CURVE_SECRET };

/* What a step waits for. */
enum need { NEEDS_NOTHING, NEEDS_PDU, NEEDS_USER, NEEDS_OWN_KEY, NEEDS_SECRET, NEEDS_LINK, NEEDS_KEYS, NEEDS_END };

/* No reason: all is well. */
#define GOOD 0x00

/* A step of a pairing: what it needs, and what is then done. Returns GOOD, or why the pairing fails. It may choose
 * another step by `pairing->step`; else the next one in its list follows. */
struct ys_pairing_step {
    uint8_t need; /* enum need */
    uint8_t code; /* NEEDS_PDU: enum ys_smp_code */
    uint8_t (*act)(struct ys_host *host, const struct ys_smp_pdu *pdu);
};

/* pairing.c */
void pairing_send(struct ys_host *host, struct ys_connection *connection, const struct ys_smp_pdu *pdu);
void pairing_send_value(struct ys_host *host, uint8_t code, const uint8_t value[16]);
void pairing_fail(struct ys_host *host, uint8_t reason, bool by_peer);
/* GOOD, or why the pairing fails. */
uint8_t pairing_begin_curve(struct ys_host *host, enum curve_job job);
struct ys_cipher pairing_cipher(const struct ys_host *host);
bool pairing_random(const struct ys_host *host, void *bytes, size_t length);
void pairing_wipe(void *bytes, size_t length);
void pairing_reverse(uint8_t *to, const uint8_t *from, size_t length);
/* Tells the level of a link whose key is not new. */
void pairing_emit_level(struct ys_host *host, const struct ys_connection *connection);
enum ys_level pairing_level(const struct ys_link_security *security);

/* pairing_methods.c: from the chosen method on to a key */
const struct ys_pairing_step *methods_first(struct ys_host *host);
/* Whether the method has a public key to be told out of band. */
bool methods_make_oob(struct ys_host *host, struct ys_oob *oob);

/* pairing_keys.c: the keys that are given to each other (Vol 3 Part H 3.6) */
extern const struct ys_pairing_step keys_steps[];
uint8_t keys_prepare(struct ys_host *host, const struct ys_smp_pdu *request, const struct ys_smp_pdu *response);
/* The PDU of a key that has come. */
uint8_t keys_in(struct ys_host *host, const struct ys_smp_pdu *pdu);
/* Sends the next one, if it is time; true if all keys have been given both ways. */
bool keys_run(struct ys_host *host);

/* privacy.c */
const struct ys_command_row *privacy_row(const struct ys_host *host, uint8_t command);
/* Before the start, if the security says so. */
void privacy_begin(struct ys_host *host);
/* Makes a new address when it is time; returns in how many milliseconds it will be. */
uint32_t privacy_run(struct ys_host *host, uint32_t now_ms);

/* Advertising and scanning end, and begin again: what is due in between can be done then. */
void privacy_renew(struct ys_host *host);

/* resolving.c */
const struct ys_command_row *resolving_row(const struct ys_host *host);
/* Brings the controller's list to what is remembered, if that has changed. */
void resolving_run(struct ys_host *host);

/* encryption.c: the controller's side of it */
const struct ys_command_row *encryption_row(uint8_t command);
void encryption_event(struct ys_host *host, uint8_t event, const struct ys_reader *parameters);
void encryption_begin(struct ys_host *host, struct ys_connection *connection, uint8_t key_from);

/* bonds.c */
bool bonds_load(struct ys_host *host, uint8_t number, struct ys_bond *bond);
/* Whether somebody new could be remembered. */
bool bonds_have_room(struct ys_host *host, const struct ys_address *peer);
/* Whose key has this name; 0: nobody's. */
uint8_t bonds_find_key(struct ys_host *host, const struct ys_connection *connection,
                       const struct ys_hci_key_name *name);
void bonds_emit(struct ys_host *host, uint8_t number, enum ys_bond_change change);
/* Keeps the bond of the pairing that ends. Returns its number, or 0; false by `reason` if it must not be. */
uint8_t bonds_make(struct ys_host *host, uint8_t *reason);
/* It has been used. */
void bonds_touch(struct ys_host *host, uint8_t number, struct ys_bond *bond);
/* Whether what is being paired is weaker than what is remembered of the same peer. */
bool bonds_would_weaken(struct ys_host *host, const struct ys_address *peer, const struct ys_bond *made);
bool bonds_load_identity(struct ys_host *host);
/* The keys of a record in the port's store, in air order, for whoever looks at what they have encrypted; zeros where
 * there is none. False if it is no record of a bond. */
bool ys_bond_keys(const uint8_t *record, size_t length, uint8_t keys[2][16]);

#endif
