/* Control procedures of a connection. */
#ifndef CAPTURE_AUDIT_CONTROL_H
#define CAPTURE_AUDIT_CONTROL_H

#include "capture/audit/state.h"

void audit_control(struct ys_audit *audit, const struct ys_seen *seen, struct audited_link *audited);

#endif
