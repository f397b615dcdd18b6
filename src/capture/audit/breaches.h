/* What the audit has found. */
#ifndef CAPTURE_AUDIT_BREACHES_H
#define CAPTURE_AUDIT_BREACHES_H

#include <stdbool.h>
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
    uint16_t
        interface;  /* that it crossed, as the audit counts them; 0: it was on the air, or at one that is not counted */
    char who[40];   /* who broke it, "" if that is not known */
    char what[200]; /* in words */
};

/* A time in which packets of a connection may be missing. */
struct ys_hole {
    uint64_t from_ns; /* the end of what was heard of it before */
    uint64_t to_ns;
    uint64_t record; /* the number of the first packet after it */
    uint64_t others; /* packets that were heard meanwhile, of others */
    uint64_t open;   /* the number of a request whose answer may lie in it; 0: none */
    bool mtu;        /* the exchange of the MTU may */
    char who[2][40]; /* central and peripheral, "" if not known */
};

/* As many are kept; the rest is only counted. */
#define YS_HOLES_MOST 200

/* Breaches of one rule that are kept; the rest is only counted. */
#define YS_BREACHES_OF_EACH 10

/* How many can be excepted. */
#define YS_EXCEPTED_MOST 8

#endif
