/* The packets of a connection on the air: their times, channels and bits. */
#ifndef CAPTURE_AUDIT_LINK_H
#define CAPTURE_AUDIT_LINK_H

#include "capture/audit/state.h"

void audit_link(struct ys_audit *audit, const struct ys_seen *seen, struct audited_link *audited);

#endif
