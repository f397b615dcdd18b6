/* A pairing as it goes on. */
#ifndef HOST_SMP_SESSION_H
#define HOST_SMP_SESSION_H

#include "wire/smp.h"
#include <yarnswift/pairing.h>

void ys_pairing_send(struct ys_host *host, struct ys_connection *connection, const struct ys_smp_pdu *pdu);
void ys_pairing_send_value(struct ys_host *host, uint8_t code, const uint8_t value[16]);
/* The pairing has failed: its state is cleared, and its connection is released. */
void ys_pairing_fail(struct ys_host *host, uint8_t reason, bool by_peer);
/* Whether pairing is blocked after a failed attempt. */
bool ys_pairing_is_quiet(const struct ys_host *host);
/* The pairing has succeeded, and its state is cleared; it fails if its bond must not be stored. */
void ys_pairing_finish(struct ys_host *host);
/* Whether the key of the pairing that ends is kept for its connection, since there is no bond that has it. */
void ys_pairing_keep_key(struct ys_pairing *pairing, const struct ys_connection *connection, bool keeps);
/* Tells the level of a link whose key is not new. */
void ys_pairing_emit_level(struct ys_host *host, const struct ys_connection *connection);

#endif
