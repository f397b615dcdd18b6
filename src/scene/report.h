/* A scene in words: its log, and what was measured. */
#ifndef SCENE_REPORT_H
#define SCENE_REPORT_H

#include <stdio.h>

#include "scene/demo.h"

/* Where the log goes. */
struct ys_report_log {
    FILE *stream;
    bool colour;
    int width; /* of names, to which they are filled up; 7 at least */
};

/* Prints a line of the log; `context` is a struct ys_report_log. */
void ys_report_line(void *context, uint64_t at_ns, enum ys_side side, const char *name, const char *text);

void ys_report_summary(FILE *stream, const struct ys_demo_summary *summary);

#endif
