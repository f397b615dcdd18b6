/* PDUs of the attribute protocol. */
#ifndef CAPTURE_AUDIT_ATTRIBUTES_H
#define CAPTURE_AUDIT_ATTRIBUTES_H

#include "capture/audit/state.h"

void audit_attributes(struct ys_audit *audit, const struct ys_said *said, const struct audit_place *place);

/* Looks at what waits for an answer, as time goes on. */
void audit_attributes_wait(struct ys_audit *audit, const struct audit_place *place);

#endif
