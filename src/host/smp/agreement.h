/* The beginning of a pairing. */
#ifndef HOST_SMP_AGREEMENT_H
#define HOST_SMP_AGREEMENT_H

#include "wire/smp.h"
#include <yarnswift/pairing.h>

/* As central: asks the other side to pair. */
enum ys_result ys_pairing_begin(struct ys_host *host, struct ys_connection *connection, bool authenticated);
/* As peripheral: the other side asks to pair. */
void ys_pairing_requested(struct ys_host *host, struct ys_connection *connection, const struct ys_smp_pdu *request);

#endif
