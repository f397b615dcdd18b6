/* Whether a rule was kept. */
#ifndef CAPTURE_AUDIT_VERDICTS_H
#define CAPTURE_AUDIT_VERDICTS_H

#include "capture/audit/state.h"

/* Says whether a rule was kept; if not, with what in words. Returns `kept`. */
#if defined(__GNUC__)
__attribute__((format(printf, 4, 5)))
#endif
bool audit_judge(struct ys_audit *audit, enum ys_rule_id rule, bool kept, const char *format, ...);

/* It cannot be told: something is missing in the capture. */
void audit_cannot_tell(struct ys_audit *audit, enum ys_rule_id rule);

/* At the end: logs of interfaces of which packets are missing, as their breaches show, break nothing. */
void audit_forgive_logs(struct ys_audit *audit);

#endif
