/* Peers that are remembered: one record of the port's store for each. */
#ifndef HOST_SMP_BONDS_H
#define HOST_SMP_BONDS_H

#include "wire/hci.h"
#include <yarnswift/pairing.h>

bool ys_bonds_load(struct ys_host *host, uint8_t number, struct ys_bond *bond);

/* The next number that has a bond after this one; the bond is loaded. 0: there is none. */
uint8_t ys_bonds_next(struct ys_host *host, uint8_t number, struct ys_bond *bond);
/* Whether there is room for another bond. */
bool ys_bonds_have_room(struct ys_host *host, const struct ys_address *peer);
/* The number of the bond whose key has this name; 0: there is none. */
uint8_t ys_bonds_find_key(struct ys_host *host, const struct ys_connection *connection,
                          const struct ys_hci_key_name *name);
void ys_bonds_emit(struct ys_host *host, uint8_t number, enum ys_bond_change change);
/* Keeps the bond of the pairing that ends. Returns its number, or 0; false by `reason` if it must not be. */
uint8_t ys_bonds_make(struct ys_host *host, uint8_t *reason);
/* It has been used. */
void ys_bonds_touch(struct ys_host *host, uint8_t number, struct ys_bond *bond);
/* Whether what is being paired is weaker than what is remembered of the same peer. */
bool ys_bonds_would_weaken(struct ys_host *host, const struct ys_address *peer, const struct ys_bond *made);
bool ys_bonds_load_identity(struct ys_host *host);
/* The keys of a record in the port's store, in air order, for tools that decrypt captures; zeros where a key is
 * missing. False if the record is not a bond. */
bool ys_bond_keys(const uint8_t *record, size_t length, uint8_t keys[2][16]);

#endif
