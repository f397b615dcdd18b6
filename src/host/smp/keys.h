/* The keys that are given to each other (Core 5.4 Vol 3 Part H 3.6). */
#ifndef HOST_SMP_KEYS_H
#define HOST_SMP_KEYS_H

#include "host/smp/step.h"
#include <yarnswift/pairing.h>

extern const struct ys_pairing_step ys_keys_steps[];
uint8_t ys_keys_prepare(struct ys_host *host, const struct ys_smp_pdu *request, const struct ys_smp_pdu *response);
/* The PDU of a key that has come. */
uint8_t ys_keys_in(struct ys_host *host, const struct ys_smp_pdu *pdu);
/* Sends the next one, if it is time; true if all keys have been given both ways. */
bool ys_keys_run(struct ys_host *host);

#endif
