/* What the audit has found. */
#ifndef CAPTURE_AUDIT_BREACHES_H
#define CAPTURE_AUDIT_BREACHES_H

#include <stdint.h>

#include "capture/audit/rules.h"

/* How often a rule was watched, and what came of it. */
struct ys_tally {
    uint64_t kept;
    uint64_t broken;
    uint64_t unknown;
};

/* A breach of a rule. */
struct ys_breach {
    enum ys_rule_id rule;
    uint64_t record; /* its number */
    uint64_t at_ns;
    char who[40];   /* who broke it, "" if that is not known */
    char what[200]; /* in words */
};

/* Breaches of one rule that are kept; the rest is only counted. */
#define YS_BREACHES_OF_EACH 10

/* How many can be excepted. */
#define YS_EXCEPTED_MOST 8

#endif
