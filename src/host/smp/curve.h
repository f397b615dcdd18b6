/* The curve, which the port computes on. */
#ifndef HOST_SMP_CURVE_H
#define HOST_SMP_CURVE_H

#include "host/smp/step.h"
#include <yarnswift/pairing.h>

/* Begins a computation: GOOD, or why the pairing fails. */
uint8_t ys_pairing_begin_curve(struct ys_host *host, enum curve_job job);
/* Takes what has been computed, if it has. */
void ys_pairing_poll_curve(struct ys_host *host);

#endif
