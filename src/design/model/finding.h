/* What is wrong with a definition: each finding with its place, and what to do about it. */
#ifndef DESIGN_MODEL_FINDING_H
#define DESIGN_MODEL_FINDING_H

#include <stdbool.h>
#include <stddef.h>

/* Errors stop everything; warnings fail a strict check; advice never does. */
enum ys_severity { YS_ERROR, YS_WARNING, YS_ADVICE };

/* A place in a file, both from 1; 0: the file as a whole. */
struct ys_place {
    int line;
    int column;
    const char *file; /* an included one; NULL: the definition itself */
    int order;        /* of the file, by when it was included */
};

struct ys_finding {
    enum ys_severity severity;
    const char *code; /* a short name of this kind of finding, as docs/checks.md lists them */
    struct ys_place place;
    char *text; /* what is wrong, and what to do */
};

/* All findings of one file; zero it before its first use. */
struct ys_findings {
    struct ys_finding *items;
    size_t count;
    size_t errors;
    size_t warnings;
};

#if defined(__GNUC__)
__attribute__((format(printf, 5, 6)))
#endif
void ys_findings_add(struct ys_findings *findings, enum ys_severity severity, const char *code, struct ys_place place, const char *format, ...);

/* Puts them into the order of the file. */
void ys_findings_sort(struct ys_findings *findings);

void ys_findings_clear(struct ys_findings *findings);

#endif
