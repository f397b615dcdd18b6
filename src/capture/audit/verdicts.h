/* Whether a rule was kept. */
#ifndef CAPTURE_AUDIT_VERDICTS_H
#define CAPTURE_AUDIT_VERDICTS_H

#include "capture/audit/state.h"

/* Reports whether a rule was kept; if not, with an explanation. Returns `kept`. */
#if defined(__GNUC__)
__attribute__((format(printf, 4, 5)))
#endif
bool audit_judge(struct ys_audit *audit, enum ys_rule_id rule, bool kept, const char *format, ...);

/* Undecided: something is missing in the capture. */
void audit_cannot_tell(struct ys_audit *audit, enum ys_rule_id rule);

/* At the end: removes the violations of interfaces whose logs have missing packets. */
void audit_forgive_logs(struct ys_audit *audit);

#endif
