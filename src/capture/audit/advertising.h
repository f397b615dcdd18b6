/* Advertising, scanning and how connections begin, on the air. */
#ifndef CAPTURE_AUDIT_ADVERTISING_H
#define CAPTURE_AUDIT_ADVERTISING_H

#include "capture/audit/state.h"

void audit_advertising(struct ys_audit *audit, const struct ys_seen *seen);
void audit_extended(struct ys_audit *audit, const struct ys_seen *seen);

#endif
