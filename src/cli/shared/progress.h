/* Progress, on a terminal, once something has lasted for a second. */
#ifndef CLI_SHARED_PROGRESS_H
#define CLI_SHARED_PROGRESS_H

#include <stddef.h>
#include <time.h>

struct progress {
    const char *of_what; /* "takes" */
    time_t begun;
    unsigned shown; /* in per cent; 0: nothing yet */
};

struct progress progress_begin(const char *of_what);
void progress_show(struct progress *progress, size_t done, size_t of);

/* Takes it away. */
void progress_end(const struct progress *progress);

#endif
