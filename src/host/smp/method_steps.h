/* Steps that several methods have. Values of the initiator are "a", of the responder "b". */
#ifndef HOST_SMP_METHOD_STEPS_H
#define HOST_SMP_METHOD_STEPS_H

#include "host/smp/step.h"
#include "host/smp/toolbox.h"
#include <yarnswift/pairing.h>

/* The address of one side, as the toolbox takes it. */
void ys_smp_address_of(const struct ys_host *host, bool own, uint8_t address[YS_TOOLBOX_ADDRESS]);
uint8_t ys_smp_cipher_failed(bool good);
bool ys_smp_is_passkey(const struct ys_pairing *pairing);
void ys_smp_passkey_to_secret(struct ys_pairing *pairing);
void ys_smp_emit_passkey(struct ys_host *host, enum ys_event_kind kind);
uint8_t ys_smp_draw_random(struct ys_host *host);
void ys_smp_take_random(struct ys_host *host, const struct ys_smp_pdu *pdu);
/* The link is to be encrypted with `pairing->key`; shorter keys end in zeros (Vol 3 Part H 2.3.4). */
void ys_smp_use_key(struct ys_host *host);
uint8_t ys_smp_send_random(struct ys_host *host, const struct ys_smp_pdu *unused);
uint8_t ys_smp_take_confirm(struct ys_host *host, const struct ys_smp_pdu *pdu);
uint8_t ys_smp_link_is_encrypted(struct ys_host *host, const struct ys_smp_pdu *unused);

#endif
