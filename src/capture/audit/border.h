/* What a host and its controller say to each other. */
#ifndef CAPTURE_AUDIT_BORDER_H
#define CAPTURE_AUDIT_BORDER_H

#include "capture/audit/state.h"

/* The file says that packets were lost: as if each border were watched from here on. */
void audit_border_lost(struct ys_audit *audit);

void audit_border(struct ys_audit *audit, const struct ys_seen *seen, struct audited_border *border);

#endif
