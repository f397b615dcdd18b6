/* Searches that were made before, or are made elsewhere. */
#ifndef CLI_INTERVAL_KEPT_H
#define CLI_INTERVAL_KEPT_H

#include <pthread.h>

#include "cli/shared/share.h"
#include "experiment/interval.h"

struct kept {
    const struct share *share;
    const struct ys_interval_plan *plan;
    struct results *store;
    pthread_mutex_t mutex; /* several search at the same time */
    bool failed;
    uint32_t mine; /* how many are in the share; and made now: */
    uint32_t made;
};

/* Connects a plan to the file of results, of the definition in that file. False after a line. */
bool kept_begin(struct kept *kept, const struct share *share, const char *who, char *definition,
                struct ys_interval_plan *plan);

/* Prints which searches are not made. */
void kept_say_undone(struct kept *kept);

/* Prints the share, if it is one. False, after a line, if a result could not be stored. */
bool kept_end(struct kept *kept, const char *who);

#endif
