/* Work for later: a list of work that waits for its time, sorted by time, and one of work that was asked for, in
 * that order. Only the main loop uses the first list; interrupts may come between any two instructions that use the
 * second. */
#include <yarnswift/work.h>

#include "host/core/bits.h"
#include "host/core/clock.h"
#include "host/core/context.h"
#include "host/core/extras.h"

static void enter(const struct ys_host *host)
{
    host->port->enter_critical(host->port->context);
}

static void leave(const struct ys_host *host)
{
    host->port->leave_critical(host->port->context);
}

/* what waits for its time */

static bool is_due(const struct ys_work *work, uint32_t now_ms)
{
    return ys_until_ms(now_ms, work->at_ms) == 0;
}

static void take_out(struct ys_work *work)
{
    struct ys_work **link = &work->host->works;
    while (*link != NULL && *link != work)
        link = &(*link)->next;
    if (*link != NULL)
        *link = work->next;
}

/* After all that are due no later. */
static void put_in(struct ys_work *work)
{
    struct ys_work **link = &work->host->works;
    while (*link != NULL && (int32_t)((*link)->at_ms - work->at_ms) <= 0)
        link = &(*link)->next;
    work->next = *link;
    *link = work;
}

static enum ys_result wait_for(struct ys_work *work, uint32_t ms, uint32_t every_ms)
{
    if (ms > YS_WORK_MS_MOST)
        return YS_ERROR_ARGUMENT;
    take_out(work);
    work->at_ms = ys_now_ms(work->host) + ms;
    work->every_ms = every_ms;
    put_in(work);
    ys_wake(work->host);
    return YS_OK;
}

enum ys_result ys_work_after(struct ys_work *work, uint32_t ms)
{
    YS_NOT_IN_INTERRUPT(work->host, "ys_work_after");
    return wait_for(work, ms, 0);
}

enum ys_result ys_work_every(struct ys_work *work, uint32_t ms)
{
    YS_NOT_IN_INTERRUPT(work->host, "ys_work_every");
    return ms > 0 ? wait_for(work, ms, ms) : YS_ERROR_ARGUMENT;
}

bool ys_work_waits(const struct ys_work *work)
{
    const struct ys_work *other = work->host->works;
    while (other != NULL && other != work)
        other = other->next;
    return other != NULL;
}

/* what was asked for */

static struct ys_work **find_asked(const struct ys_work *work)
{
    struct ys_work **link = &work->host->asked;
    while (*link != NULL && *link != work)
        link = &(*link)->next_asked;
    return link;
}

void ys_work_ask(struct ys_work *work)
{
    if (work->host == NULL) /* an interrupt may be earlier than who makes its work */
        return;
    enter(work->host);
    struct ys_work **link = find_asked(work);
    if (*link == NULL) {
        work->next_asked = NULL;
        *link = work;
    }
    leave(work->host);
    ys_wake(work->host);
}

static void forget(struct ys_work *work)
{
    take_out(work);
    enter(work->host);
    struct ys_work **link = find_asked(work);
    if (*link != NULL)
        *link = work->next_asked;
    leave(work->host);
}

enum ys_result ys_work_stop(struct ys_work *work)
{
    YS_NOT_IN_INTERRUPT(work->host, "ys_work_stop");
    forget(work);
    return YS_OK;
}

/* doing it */

/* Takes the first work that was asked for; NULL if there is none. */
static struct ys_work *next_asked(struct ys_host *host)
{
    enter(host);
    struct ys_work *work = host->asked;
    if (work != NULL)
        host->asked = work->next_asked;
    leave(host);
    return work;
}

/* The times of work that is done again and again have the same distance, also from those that are left out. */
static struct ys_work *next_due(struct ys_host *host, uint32_t now_ms)
{
    struct ys_work *work = host->works;
    if (work == NULL || !is_due(work, now_ms))
        return NULL;
    host->works = work->next;
    if (work->every_ms > 0) {
        work->at_ms += work->every_ms + (now_ms - work->at_ms) / work->every_ms * work->every_ms;
        put_in(work);
    }
    return work;
}

static unsigned count_asked(const struct ys_host *host)
{
    unsigned count = 0;
    enter(host);
    for (const struct ys_work *work = host->asked; work != NULL; work = work->next_asked)
        count++;
    leave(host);
    return count;
}

static unsigned count_due(const struct ys_host *host, uint32_t now_ms)
{
    unsigned count = 0;
    for (const struct ys_work *work = host->works; work != NULL && is_due(work, now_ms); work = work->next)
        count++;
    return count;
}

static void tell(const struct ys_host *host, bool begins)
{
    if (YS_DEBUG && host->port->works != NULL)
        host->port->works(host->port->context, begins);
}

static void do_it(struct ys_host *host, const struct ys_work *work)
{
    tell(host, true);
    work->run(host, work->context);
    tell(host, false);
}

/* Runs at most the work that was there at the beginning, so that work which asks for itself does not block the rest. */
static uint32_t run(struct ys_host *host, uint32_t now_ms)
{
    struct ys_work *work;
    for (unsigned left = count_asked(host); left > 0 && (work = next_asked(host)) != NULL; left--)
        do_it(host, work);
    for (unsigned left = count_due(host, now_ms); left > 0 && (work = next_due(host, now_ms)) != NULL; left--)
        do_it(host, work);
    return host->works != NULL ? ys_until_ms(now_ms, host->works->at_ms) : YS_FOREVER;
}

void ys_work_init(struct ys_host *host, struct ys_work *work, ys_work_fn *run_it, void *context)
{
    static const struct ys_extra_calls calls = {.kind = YS_EXTRA_WORK, .run = run};
    if (YS_DEBUG && ys_in_interrupt(host, "ys_work_init"))
        return;
    if (host->working.calls == NULL)
        ys_extra_add(host, &host->working, &calls, 0);
    work->host = host;
    forget(work); /* it may have been made before */
    *work = (struct ys_work){.host = host, .run = run_it, .context = context};
}
