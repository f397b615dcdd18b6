/* Results in a file, each under a name: of sweep points, encounters or takes. Every function that fails prints a line
 * and leaves the file as it was. */
#ifndef CLI_SHARED_RESULTS_H
#define CLI_SHARED_RESULTS_H

#include <stdbool.h>

#include "cli/shared/options.h"

struct results;

/* Opens or makes a file of such results, `about` being what it is of. NULL after a line: it cannot be opened,
 * is damaged, or is of something else. A path of NULL keeps them in memory. */
struct results *results_open(const char *who, const char *path, const char *about);

void results_close(struct results *store);

bool results_has(struct results *store, const char *point);

/* What was kept of a point, which is the caller's; NULL: nothing. */
char *results_get(struct results *store, const char *point);

bool results_put(struct results *store, const char *point, const char *json);

/* Takes over all results of another file; how many, or -1 after a line. */
int results_merge(struct results *store, const char *path);

/* Puts the results of the named files into that of `into`, and says how many there are of `what`; false after a line.
 */
bool results_merge_all(const char *who, const char *into, const struct common *common, const char *what);

/* Reads a share of the results: I/N with I from 1 to N, or as a batch system counts its tasks I/A-B with I from A to B.
 * `part` is counted from 1; there are at most `most`. False after a line. */
bool results_take_part(const char *who, const char *text, unsigned long long most, unsigned long long *part,
                       unsigned long long *parts);

#define PART_HELP                                                                                                      \
    "Only do share I of N, each of which another machine may do; or I/A-B, as a batch system counts its tasks: 0/0-7"

/* What a file of results is of, which is the caller's; NULL after a line. */
char *results_about(const char *who, const char *path);

#endif
