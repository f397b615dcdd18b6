/* Legacy pairing, as lists of steps. */
#ifndef HOST_SMP_LEGACY_H
#define HOST_SMP_LEGACY_H

#include "host/smp/step.h"

extern const struct ys_pairing_step ys_legacy_initiator[];
extern const struct ys_pairing_step ys_legacy_responder[];

#endif
