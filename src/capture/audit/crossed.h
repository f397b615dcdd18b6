/* What hosts and controllers told each other, against what was on the air. */
#ifndef CAPTURE_AUDIT_CROSSED_H
#define CAPTURE_AUDIT_CROSSED_H

#include "capture/audit/state.h"

/* Notes what a connect request agreed, and what a packet of a host was. */
void audit_crossed_request(struct ys_audit *audit, const struct ys_seen *seen);
void audit_crossed_hci(struct ys_audit *audit, const struct ys_seen *seen, struct audited_hci *interface);

/* Judges an advertisement, and a frame on the air. */
void audit_crossed_advertisement(struct ys_audit *audit, const struct ys_seen *seen);
void audit_crossed_frame(struct ys_audit *audit, const struct ys_seen *seen);

#endif
