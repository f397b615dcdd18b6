/* PDUs of pairing. */
#ifndef CAPTURE_AUDIT_PAIRING_H
#define CAPTURE_AUDIT_PAIRING_H

#include "capture/audit/state.h"

void audit_pairing(struct ys_audit *audit, const struct ys_said *said, const struct audit_place *place);

#endif
