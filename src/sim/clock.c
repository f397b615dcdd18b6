/* Virtual time: a binary heap of timers, ordered by time and then by the order in which they were queued. */
#include "sim/clock.h"

#include <stdlib.h>

/* So many timers may fire at one time, and as many again for each that is queued: many devices may begin together. */
#define AT_ONE_TIME_MOST  100000
#define FOR_EACH_OF_THESE 1000

struct ys_clock {
    uint64_t now_ns;
    uint64_t at_one_time; /* timers that have fired since time last went on */
    uint64_t next_order;
    struct ys_timer **heap; /* from index 1 on */
    size_t count;
    size_t capacity;
};

struct ys_clock *ys_clock_new(void)
{
    struct ys_clock *clock = calloc(1, sizeof *clock);
    if (clock == NULL)
        return NULL;
    clock->capacity = 64;
    clock->heap = malloc((clock->capacity + 1) * sizeof(struct ys_timer *));
    if (clock->heap == NULL) {
        free(clock);
        return NULL;
    }
    return clock;
}

void ys_clock_free(struct ys_clock *clock)
{
    if (clock == NULL)
        return;
    free(clock->heap);
    free(clock);
}

uint64_t ys_clock_now_ns(const struct ys_clock *clock)
{
    return clock->now_ns;
}

bool ys_timer_is_set(const struct ys_timer *timer)
{
    return timer->place != 0;
}

static bool is_before(const struct ys_timer *a, const struct ys_timer *b)
{
    return a->at_ns != b->at_ns ? a->at_ns < b->at_ns : a->order < b->order;
}

static void place(struct ys_clock *clock, struct ys_timer *timer, size_t at)
{
    clock->heap[at] = timer;
    timer->place = at;
}

static void rise(struct ys_clock *clock, struct ys_timer *timer, size_t at)
{
    while (at > 1 && is_before(timer, clock->heap[at / 2])) {
        place(clock, clock->heap[at / 2], at);
        at /= 2;
    }
    place(clock, timer, at);
}

static void sink(struct ys_clock *clock, struct ys_timer *timer, size_t at)
{
    for (size_t child; (child = 2 * at) <= clock->count; at = child) {
        if (child < clock->count && is_before(clock->heap[child + 1], clock->heap[child]))
            child++;
        if (is_before(timer, clock->heap[child]))
            break;
        place(clock, clock->heap[child], at);
    }
    place(clock, timer, at);
}

static void grow(struct ys_clock *clock)
{
    clock->capacity *= 2;
    clock->heap = realloc(clock->heap, (clock->capacity + 1) * sizeof(struct ys_timer *));
    if (clock->heap == NULL)
        abort(); /* a simulation without memory for its events cannot be true to time */
}

void ys_clock_cancel(struct ys_clock *clock, struct ys_timer *timer)
{
    size_t at = timer->place;
    if (at == 0)
        return;
    struct ys_timer *last = clock->heap[clock->count--];
    timer->place = 0;
    if (last == timer)
        return;
    if (at > 1 && is_before(last, clock->heap[at / 2]))
        rise(clock, last, at);
    else
        sink(clock, last, at);
}

void ys_clock_set(struct ys_clock *clock, struct ys_timer *timer, uint64_t at_ns)
{
    ys_clock_cancel(clock, timer);
    if (clock->count == clock->capacity)
        grow(clock);
    timer->at_ns = at_ns > clock->now_ns ? at_ns : clock->now_ns;
    timer->order = clock->next_order++;
    rise(clock, timer, ++clock->count);
}

bool ys_clock_stands(const struct ys_clock *clock)
{
    return clock->at_one_time > AT_ONE_TIME_MOST + FOR_EACH_OF_THESE * (uint64_t)clock->count;
}

void ys_clock_stop(struct ys_clock *clock)
{
    clock->at_one_time = UINT64_MAX;
}

bool ys_clock_step(struct ys_clock *clock, uint64_t until_ns)
{
    if (ys_clock_stands(clock))
        return false;
    if (clock->count == 0 || clock->heap[1]->at_ns > until_ns) {
        if (until_ns > clock->now_ns) {
            clock->now_ns = until_ns;
            clock->at_one_time = 0;
        }
        return false;
    }
    struct ys_timer *timer = clock->heap[1];
    ys_clock_cancel(clock, timer);
    clock->at_one_time = timer->at_ns > clock->now_ns ? 0 : clock->at_one_time + 1;
    clock->now_ns = timer->at_ns;
    timer->fire(timer->context);
    return true;
}

void ys_clock_run(struct ys_clock *clock, uint64_t until_ns)
{
    bool more;
    do {
        more = ys_clock_step(clock, until_ns);
    } while (more);
}
