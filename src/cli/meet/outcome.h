/* What is known once a device has met many, and how it is told. */
#ifndef CLI_MEET_OUTCOME_H
#define CLI_MEET_OUTCOME_H

#include "cli/meet/trials.h"

/* Encounters that have failed in the same way. */
struct meet_finding {
    char *key;
    char *what;
    char *expected;
    char *came;
    char *path;      /* of the smallest scene that shows it; NULL: none was written */
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
};

void meet_print(const struct meet_outcome *outcome);
void meet_print_json(const struct meet_outcome *outcome);

/* A page of it. False after a line. */
bool meet_write_page(const char *path, bool replaces, const struct meet_outcome *outcome);

#endif
