/* What a host and its controller say to each other. */
#ifndef CAPTURE_AUDIT_HCI_H
#define CAPTURE_AUDIT_HCI_H

#include "capture/audit/state.h"

/* The file reports lost packets: each interface is watched anew from here on. */
void audit_hci_lost(struct ys_audit *audit);

void audit_hci(struct ys_audit *audit, const struct ys_seen *seen, struct audited_hci *interface);

#endif
