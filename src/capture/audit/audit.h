/* Traffic watched against the rules of the standard. Each rule is one row of one table; what a rule finds is kept,
 * broken, or cannot be told, because something is missing in the capture.
 *
 * It shares nothing with the simulator and the host but `wire`. */
#ifndef CAPTURE_AUDIT_AUDIT_H
#define CAPTURE_AUDIT_AUDIT_H

#include "capture/audit/breaches.h"
#include "capture/follow/follow.h"
#include "capture/follow/glossary.h"

struct ys_audit;

/* The glossary gives the formats of values. NULL if there is no memory. It must outlive the audit. */
struct ys_audit *ys_audit_new(const struct ys_glossary *glossary);
void ys_audit_free(struct ys_audit *audit);

/* Violations by this party are not counted, because it misbehaves on purpose. False if there are too many such
 * parties. */
bool ys_audit_except(struct ys_audit *audit, const char *name);

/* Takes a followed record; a ys_seen_fn whose `context` is the audit. */
void ys_audit_take(void *context, const struct ys_seen *seen);

/* The watch is over. */
void ys_audit_end(struct ys_audit *audit);

const struct ys_tally *ys_audit_tally(const struct ys_audit *audit, enum ys_rule_id rule);

/* Breaches, in the order in which they were found; `count` is how many are kept. */
const struct ys_breach *ys_audit_breaches(const struct ys_audit *audit, size_t *count);

/* The number of places where packets of connections may be missing; and these places, in order, of which at most
 * YS_HOLES_MOST are kept. */
uint64_t ys_audit_hole_count(const struct ys_audit *audit);
const struct ys_hole *ys_audit_holes(const struct ys_audit *audit);

/* Packets with a wrong CRC, or of which only a part was captured. */
uint64_t ys_audit_damaged(const struct ys_audit *audit);

/* Packets that were encrypted with a key that is not known. */
uint64_t ys_audit_unreadable(const struct ys_audit *audit);

/* HCI interfaces whose logs have lost packets without saying so: violations there are undecided. After ys_audit_end. */
unsigned ys_audit_lossy_logs(const struct ys_audit *audit);

#endif
