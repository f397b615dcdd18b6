/* Data of extended advertising, which may go on in a chain of packets. */
#ifndef CAPTURE_AUDIT_CHAINS_H
#define CAPTURE_AUDIT_CHAINS_H

#include "capture/audit/state.h"

/* Takes an auxiliary packet; once the data is whole, its structures are audited. */
void audit_chain(struct ys_audit *audit, const struct ys_seen *seen);

#endif
