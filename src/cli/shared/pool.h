/* Jobs in processes of their own, several at once: one that crashes takes nothing else with it. */
#ifndef CLI_SHARED_POOL_H
#define CLI_SHARED_POOL_H

#include <stdbool.h>
#include <stddef.h>
#include <stdio.h>

/* A job, in a process of its own: number `index` writes its result. */
typedef void ys_job_fn(void *context, size_t index, FILE *result);

/* Called when a job has ended, in the caller's process and in the order of the jobs. `crash` is the reason of a crash,
 * or NULL: then `result` is what the job wrote. */
typedef void ys_job_done_fn(void *context, size_t index, const char *result, size_t length, const char *crash);

struct pool {
    size_t count;
    size_t at_once;
    unsigned most_s; /* what a job may have of the processor; ten times as much may pass until it ends */
    ys_job_fn *job;
    ys_job_done_fn *done;
    void *context;
};

/* Does all jobs, so many at once. False, after a line, if processes cannot be made. */
bool pool_run(const struct pool *pool);

#endif
