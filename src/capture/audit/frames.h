/* Frames of L2CAP, and to whom they go. */
#ifndef CAPTURE_AUDIT_FRAMES_H
#define CAPTURE_AUDIT_FRAMES_H

#include "capture/audit/state.h"

/* A frame that begins (`is_first`), or is whole. */
void audit_frame(struct ys_audit *audit, const struct ys_said *said, const struct audit_place *place, bool is_first);

#endif
