/* Results of a sweep in a file. All that fail say so, and leave what is there. */
#ifndef CLI_SWEEP_STORE_H
#define CLI_SWEEP_STORE_H

#include <stdbool.h>

struct sweep_store;

/* Opens or makes a file of results of this sweep, `about` being what it is of. NULL after a line: it cannot be opened,
 * is damaged, or is of something else. A path of NULL keeps them in memory. */
struct sweep_store *sweep_store_open(const char *who, const char *path, const char *about);

void sweep_store_close(struct sweep_store *store);

bool sweep_store_has(struct sweep_store *store, const char *point);

/* What was kept of a point, which is the caller's; NULL: nothing. */
char *sweep_store_get(struct sweep_store *store, const char *point);

bool sweep_store_put(struct sweep_store *store, const char *point, const char *json);

/* Takes over all results of another file; how many, or -1 after a line. */
int sweep_store_merge(struct sweep_store *store, const char *path);

/* What a file of results is of, which is the caller's; NULL after a line. */
char *sweep_store_about(const char *who, const char *path);

#endif
