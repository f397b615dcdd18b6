/* What is known once a device has met many, and how it is told. */
#ifndef CLI_MEET_OUTCOME_H
#define CLI_MEET_OUTCOME_H

#include "cli/meet/coverage.h"
#include "cli/meet/trials.h"
#include "cli/shared/options.h"

/* Encounters that have failed in the same way. */
struct meet_finding {
    char *key;
    char *what;
    char *expected;
    char *came;
    char *scene;     /* the smallest that shows it */
    char *path;      /* of it; NULL: none was written */
    uint64_t number; /* of the first encounter */
    size_t count;    /* of encounters */
    size_t before;   /* steps of the first, and of the scene */
    size_t after;
};

struct meet_outcome {
    const struct ys_subject *subject;
    const struct ys_plan *plan;
    unsigned long long seed;
    uint64_t encounters; /* that were played, in this run and before */
    uint64_t now;        /* of these in this run */
    double seconds;      /* of this run */
    double simulated_s;
    struct meet_finding *findings;
    size_t finding_count;
    /* who met which value: kinds of central times values */
    uint32_t *met;
    uint32_t *failed;
    uint8_t *first; /* the number of the first finding that failed there; 0: none */
    /* in how many encounters each item of the definition's behaviour was tried */
    uint64_t *behaved;
    struct coverage *coverage; /* of the firmware; NULL: it was not compiled to tell */
};

void meet_print(const struct meet_outcome *outcome);
void meet_print_json(const struct meet_outcome *outcome);

/* A page of it. False after a line. */
bool meet_write_page(const struct common *common, const struct meet_outcome *outcome);

#endif
