/* Work for later: what firmware wants done after a time, again and again, or as soon as an interrupt has asked for it.
 *
 * ys_host_run does it, one piece after the other, as it calls handlers and events; so a piece may make every call that
 * those may. Times are in milliseconds of the port's clock, and ys_host_run returns when the next piece is due. Pieces
 * are done whether the controller works or not. */
#ifndef YARNSWIFT_WORK_H
#define YARNSWIFT_WORK_H

#include <stdbool.h>
#include <stdint.h>

#include <yarnswift/result.h>

#ifdef __cplusplus
extern "C" {
#endif

struct ys_host;

/* What is to be done. */
typedef void ys_work_fn(struct ys_host *host, void *context);

/* A piece of work, in memory of its owner. Its fields are private. */
struct ys_work {
    struct ys_host *host;
    ys_work_fn *run;
    void *context;
    struct ys_work *next;       /* of those that wait for their time */
    struct ys_work *next_asked; /* of those that were asked for */
    uint32_t at_ms;
    uint32_t every_ms; /* 0: once */
};

/* The longest time, about 12 days. */
#define YS_WORK_MS_MOST 0x3fffffffu

/* Makes a piece of work, before any other call with it; `run` gets `context`. It waits for nothing yet. It must stay
 * valid as long as the host is used. After ys_host_init, from handlers, events, other work and the main loop. */
void ys_work_init(struct ys_host *host, struct ys_work *work, ys_work_fn *run, void *context);

/* Has it done once, when `ms` have passed, 0 to YS_WORK_MS_MOST; or every `ms`, 1 to YS_WORK_MS_MOST, for the first
 * time when they have passed once. What it waited for before, it waits for no longer. The times of what is done again
 * and again follow from the first, however late a turn comes; those that a late turn has missed are left out.
 * From handlers, events, work (also its own) and the main loop. YS_ERROR_ARGUMENT: there is no such time. */
enum ys_result ys_work_after(struct ys_work *work, uint32_t ms);
enum ys_result ys_work_every(struct ys_work *work, uint32_t ms);

/* It waits no longer, and what it was asked for is not done. From where ys_work_after may be called.
 * YS_ERROR_CONTEXT. */
enum ys_result ys_work_stop(struct ys_work *work);

/* Whether it waits for its time. From where ys_work_after may be called. */
bool ys_work_waits(const struct ys_work *work);

/* Has it done in the next turn: once, however often it was asked for until then. A time for which it waits stays.
 * Safe from an interrupt or another thread, and from everywhere else. Nothing happens before ys_work_init if its memory
 * is zero until then, as that of static variables is. */
void ys_work_ask(struct ys_work *work);

#ifdef __cplusplus
}
#endif

#endif
