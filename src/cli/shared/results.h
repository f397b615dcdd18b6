/* Results in a file, each under a name: of sweep points, encounters or takes. Every function that fails prints a line
 * and leaves the file as it was. */
#ifndef CLI_SHARED_RESULTS_H
#define CLI_SHARED_RESULTS_H

#include <stdbool.h>

#include "cli/shared/options.h"

struct results;

/* Opens or creates a file of results; `about` describes their subject. NULL after a line: it cannot be opened, is
 * damaged, or has another subject. With a path of NULL, results are kept in memory. */
struct results *results_open(const char *who, const char *path, const char *about);

void results_close(struct results *store);

bool results_has(struct results *store, const char *point);

/* What was kept of a point, which is the caller's; NULL: nothing. */
char *results_get(struct results *store, const char *point);

bool results_put(struct results *store, const char *point, const char *json);

/* Takes over all results of another file; how many, or -1 after a line. */
int results_merge(struct results *store, const char *path);

/* Merges the results of the named files into that of `into`, and prints the number of `what`; false after a line. */
bool results_merge_all(const char *who, const char *into, const struct common *common, const char *what);

/* Reads a share of the results: I/N with I from 1 to N, or I/A-B with I from A to B, as batch systems count tasks.
 * `part` counts from 1, up to `most`. False after a line. */
bool results_take_part(const char *who, const char *text, unsigned long long most, unsigned long long *part,
                       unsigned long long *parts);

#define PART_HELP                                                                                                      \
    "Only do share I of N, each of which another machine may do; or I/A-B, as a batch system counts its tasks: 0/0-7"

/* The subject of a file of results; the caller frees it. NULL after a line. */
char *results_about(const char *who, const char *path);

#endif
