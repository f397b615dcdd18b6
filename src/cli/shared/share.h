/* Work that is spread over machines: results in a file, and shares of them. */
#ifndef CLI_SHARED_SHARE_H
#define CLI_SHARED_SHARE_H

#include <stdint.h>

#include "cli/shared/options.h"
#include "cli/shared/results.h"

struct share {
    const char *results;     /* the file, or NULL */
    unsigned long long part; /* from 1, of: */
    unsigned long long parts;
    bool merge;
    bool undone;
};

#define SHARE_WHOLE                                                                                                    \
    {                                                                                                                  \
        .part = 1, .parts = 1                                                                                          \
    }

#define SHARE_KEY_RESULTS 0x500
#define SHARE_KEY_PART    0x501
#define SHARE_KEY_MERGE   0x502
#define SHARE_KEY_UNDONE  0x503

/* Rows of a verb's options. */
#define SHARE_OPTIONS                                                                                                  \
    {"results",                                                                                                        \
     SHARE_KEY_RESULTS,                                                                                                \
     "FILE",                                                                                                           \
     0,                                                                                                                \
     "Keep each result in this SQLite file; a later run computes only what is missing",                                \
     0},                                                                                                               \
        {"part", SHARE_KEY_PART, "I/N", 0, PART_HELP, 0},                                                              \
        {"merge", SHARE_KEY_MERGE, NULL, 0, "Merge the results of the named files into --results", 0},                 \
    {                                                                                                                  \
        "undone", SHARE_KEY_UNDONE, NULL, 0,                                                                           \
            "List what is missing in --results, each with its share of --part, and compute nothing", 0                 \
    }

/* Whether a key is one of these options. */
bool share_has(int key);

/* Takes one; false after a line. */
bool share_take(struct share *share, const char *who, int key, const char *argument);

/* A hash of the contents of files: results of other files are not used. */
uint64_t share_stamp(char *const *paths, int count);

/* Whether what was asked for fits together; false after a line. */
bool share_fits(const struct share *share, const char *who, const struct common *common);

/* Merges files of results; returns the exit status. `what` they contain: "takes". */
int share_merge(const struct share *share, const char *who, const struct common *common, const char *what);

/* Whether the `index`th is in the share. */
bool share_is_mine(const struct share *share, unsigned long long index);

/* Prints one that is not done, the `index`th of all. */
void share_say_undone(const struct share *share, const char *name, unsigned long long index);

#endif
