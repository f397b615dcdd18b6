/* LE Secure Connections, as lists of steps. */
#ifndef HOST_SMP_SECURE_H
#define HOST_SMP_SECURE_H

#include "host/smp/step.h"

extern const struct ys_pairing_step ys_numbers_initiator[];
extern const struct ys_pairing_step ys_numbers_responder[];
extern const struct ys_pairing_step ys_passkey_initiator[];
extern const struct ys_pairing_step ys_passkey_responder[];
extern const struct ys_pairing_step ys_oob_initiator[];
extern const struct ys_pairing_step ys_oob_responder[];

#endif
