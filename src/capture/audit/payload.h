/* The payload of an advertisement. */
#ifndef CAPTURE_AUDIT_PAYLOAD_H
#define CAPTURE_AUDIT_PAYLOAD_H

#include "capture/audit/state.h"

void audit_payload(struct ys_audit *audit, const uint8_t *bytes, size_t length, bool is_response);

#endif
