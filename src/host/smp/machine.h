/* The machine of a pairing. */
#ifndef HOST_SMP_MACHINE_H
#define HOST_SMP_MACHINE_H

#include "wire/smp.h"
#include <yarnswift/pairing.h>

/* Whether a PDU of pairing may be sent now. */
bool ys_pairing_may_send(const struct ys_host *host, const struct ys_connection *connection);
/* Takes the steps that can be taken; the pairing may be over then. */
void ys_pairing_advance(struct ys_host *host);
/* Takes a PDU: GOOD, or why the pairing fails. */
uint8_t ys_pairing_hold(struct ys_host *host, const uint8_t *bytes, size_t length, const struct ys_smp_pdu *pdu);

#endif
