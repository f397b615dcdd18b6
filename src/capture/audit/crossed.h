/* Compares HCI with the air. */
#ifndef CAPTURE_AUDIT_CROSSED_H
#define CAPTURE_AUDIT_CROSSED_H

#include "capture/audit/state.h"

/* Notes the parameters of a connect request, and the packets of a host. */
void audit_crossed_request(struct ys_audit *audit, const struct ys_seen *seen);
void audit_crossed_hci(struct ys_audit *audit, const struct ys_seen *seen, struct audited_hci *interface);

/* Judges an advertisement, and a frame on the air. */
void audit_crossed_advertisement(struct ys_audit *audit, const struct ys_seen *seen);
void audit_crossed_frame(struct ys_audit *audit, const struct ys_seen *seen);

#endif
