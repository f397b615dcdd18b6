/* Definitions in tests. */
#ifndef SUPPORT_DEFINITION_H
#define SUPPORT_DEFINITION_H

#include "design/model/model.h"

#define DEVICE "device: {name: T2}\n"
#define LONG   "5f8d0000-2b1c-4e6f-9a37-d4c1e07b6a52"

/* A definition with one service of these characteristics. */
#define WITH(characteristics)                                                                                          \
    DEVICE "advertising: {interval: 100 ms, services: [s]}\n"                                                          \
           "services:\n"                                                                                               \
           "  - name: s\n"                                                                                             \
           "    uuid: " LONG "\n"                                                                                      \
           "    characteristics:\n"                                                                                    \
           "      - " characteristics "\n"

/* Reads a definition that is called yard.device.yaml, and can include nothing. */
struct ys_design *read_text(const char *text);

/* All findings, each as "line:column error: text", one a line. The caller frees it. */
char *all_findings(const struct ys_design *design);

/* A wrong definition and all that is said of it. */
struct wrong {
    const char *text;
    const char *findings;
};

/* Fails unless of each exactly that is said; prints what differs. */
void assert_wrong(const struct wrong *wrong, size_t count);

#endif
