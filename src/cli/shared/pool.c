/* Jobs in processes of their own. */
#include "cli/shared/pool.h"

#include <errno.h>
#include <poll.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#ifdef __linux__
#include <sys/prctl.h>
#endif
#include <sys/wait.h>
#include <unistd.h>

#include "cli/shared/crash.h"
#include "cli/shared/say.h"

#define AT_ONCE_MOST 64
/* How a job ends whose firmware has crashed, and was named. */
#define EXIT_CRASHED 3

/* A process, and what it has written. */
struct worker {
    pid_t pid;
    int pipe;
    size_t index;
    char *text;
    size_t length;
};

/* A job that is done, and waits for those before it. */
struct finished {
    bool there;
    char *text;
    size_t length;
    char *crash;
};

/* in the process of the job */

static void work(const struct pool *pool, pid_t parent, int pipe, size_t index)
{
    FILE *result = fdopen(pipe, "wb");
#ifdef __linux__
    (void)prctl(PR_SET_PDEATHSIG, SIGTERM); /* it ends with who has begun it, whatever ends that */
    if (getppid() != parent)
        _exit(EXIT_FAILURE);
#endif
    (void)dup2(STDERR_FILENO, STDOUT_FILENO); /* what firmware prints is no result */
    if (result == NULL)
        _exit(EXIT_FAILURE);
    crash_watch(pipe, "!", "", EXIT_CRASHED, pool->most_s);
    pool->job(pool->context, index, result);
    _exit(fclose(result) == 0 ? EXIT_SUCCESS : EXIT_FAILURE);
}

/* in the process of the caller */

static bool begin(const struct pool *pool, struct worker *worker, size_t index)
{
    int ends[2];
    if (pipe(ends) != 0)
        return false;
    (void)fflush(NULL); /* or the other process would write it again */
    pid_t parent = getpid();
    pid_t pid = fork();
    if (pid == 0) {
        (void)close(ends[0]);
        work(pool, parent, ends[1], index);
    }
    (void)close(ends[1]);
    if (pid < 0) {
        (void)close(ends[0]);
        return false;
    }
    *worker = (struct worker){.pid = pid, .pipe = ends[0], .index = index};
    return true;
}

/* Reads what there is; false at the end. */
static bool read_more(struct worker *worker)
{
    char buffer[65536];
    ssize_t length = read(worker->pipe, buffer, sizeof buffer);
    if (length < 0 && errno == EINTR)
        return true;
    if (length <= 0)
        return false;
    char *grown = realloc(worker->text, worker->length + (size_t)length + 1);
    if (grown == NULL)
        return false;
    memcpy(grown + worker->length, buffer, (size_t)length);
    worker->text = grown;
    worker->length += (size_t)length;
    worker->text[worker->length] = '\0';
    return true;
}

static void end(struct worker *worker, struct finished *finished)
{
    int status = 0;
    (void)close(worker->pipe);
    (void)waitpid(worker->pid, &status, 0);
    finished->there = true;
    finished->text = worker->text;
    finished->length = worker->length;
    const char *mark = worker->length > 0 ? memrchr(worker->text, '!', worker->length) : NULL;
    if (WIFEXITED(status) && WEXITSTATUS(status) == EXIT_CRASHED && mark != NULL)
        finished->crash = strdup(mark + 1);
    else if (!WIFEXITED(status) || WEXITSTATUS(status) != 0 || worker->length == 0)
        finished->crash = strdup("the process of the scene ended without a result");
    *worker = (struct worker){.pid = 0};
}

/* Waits until one of those at work has something to say. Returns how many have ended. */
static size_t wait_for(struct worker *workers, size_t at_once, struct finished *finished)
{
    struct pollfd polls[AT_ONCE_MOST];
    struct worker *polled[AT_ONCE_MOST];
    nfds_t count = 0;
    size_t ended = 0;
    for (size_t i = 0; i < at_once; i++) {
        if (workers[i].pid == 0)
            continue;
        polled[count] = &workers[i];
        polls[count++] = (struct pollfd){.fd = workers[i].pipe, .events = POLLIN};
    }
    if (poll(polls, count, -1) < 0)
        return 0;
    for (nfds_t i = 0; i < count; i++) {
        if (polls[i].revents == 0 || read_more(polled[i]))
            continue;
        end(polled[i], &finished[polled[i]->index]);
        ended++;
    }
    return ended;
}

static struct worker *free_worker(struct worker *workers, size_t at_once)
{
    for (size_t i = 0; i < at_once; i++) {
        if (workers[i].pid == 0)
            return &workers[i];
    }
    return NULL;
}

bool pool_run(const struct pool *pool)
{
    size_t count = pool->count;
    size_t at_once = pool->at_once > AT_ONCE_MOST ? AT_ONCE_MOST : pool->at_once;
    struct worker workers[AT_ONCE_MOST] = {{.pid = 0}};
    struct finished *finished = calloc(count + 1, sizeof *finished);
    size_t begun = 0;
    size_t told = 0;
    size_t running = 0;
    bool good = finished != NULL;
    while (good && told < count) {
        struct worker *worker = free_worker(workers, at_once);
        while (worker != NULL && begun < count && begin(pool, worker, begun)) {
            begun++;
            running++;
            worker = free_worker(workers, at_once);
        }
        good = running > 0; /* with fewer processes than are wanted it only takes longer */
        if (good)
            running -= wait_for(workers, at_once, finished);
        for (; told < count && finished[told].there; told++) {
            struct finished *one = &finished[told];
            pool->done(pool->context, told, one->text != NULL ? one->text : "", one->length, one->crash);
            free(one->text);
            free(one->crash);
        }
    }
    for (size_t i = told; finished != NULL && i < count; i++) {
        free(finished[i].text);
        free(finished[i].crash);
    }
    for (size_t i = 0; i < AT_ONCE_MOST; i++)
        free(workers[i].text);
    free(finished);
    return good || complain("yarnswift", "cannot make another process: %s", strerror(errno));
}
