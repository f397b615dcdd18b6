/* Virtual time: a queue of events in nanoseconds. Nothing here knows the time of day. */
#ifndef SIM_CLOCK_H
#define SIM_CLOCK_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#define YS_NS_PER_US UINT64_C(1000)
#define YS_NS_PER_MS UINT64_C(1000000)
#define YS_NS_PER_S  UINT64_C(1000000000)

typedef void ys_timer_fn(void *context);

/* Something that will happen. Its memory is the owner's; zero it, set `fire` and `context`, and queue it. */
struct ys_timer {
    ys_timer_fn *fire;
    void *context;
    /* private */
    size_t place; /* 0: not queued; in the heap, from 1; on the wheel; or in the list */
    uint64_t at_ns;
    uint64_t order;
    struct ys_timer *next; /* in the same slot or list, and what points to this one */
    struct ys_timer **link;
};

struct ys_clock;

/* A clock that stands at 0; NULL if there is no memory. */
struct ys_clock *ys_clock_new(void);
void ys_clock_free(struct ys_clock *clock);

uint64_t ys_clock_now_ns(const struct ys_clock *clock);

/* Queues a timer for a time, which is now at the earliest; one that is queued already is moved. Timers of the same time
 * fire in the order in which they were queued. */
void ys_clock_set(struct ys_clock *clock, struct ys_timer *timer, uint64_t at_ns);

/* Takes a timer out of the queue, if it is in there. */
void ys_clock_cancel(struct ys_clock *clock, struct ys_timer *timer);

/* When a timer will fire; UINT64_MAX: it is not queued. */
uint64_t ys_timer_at_ns(const struct ys_timer *timer);

bool ys_timer_is_set(const struct ys_timer *timer);

/* A loop that takes no time: over 100,000 timers have fired at one time. Nothing fires any more. */
bool ys_clock_stands(const struct ys_clock *clock);

/* Nothing fires any more: it stands from now on. */
void ys_clock_stop(struct ys_clock *clock);

/* In a timer that has fired: time goes on to `at_ns`, as if it had been queued for then and had fired again. False, and
 * nothing happens, if it would not be the next one: others are due until then, or many wait; or if time does not go on
 * that far now, or stands. For what happens regularly, and mostly alone. */
bool ys_clock_pass(struct ys_clock *clock, uint64_t at_ns);

/* Lets the next timer fire, if it is due until `until_ns`, and returns true; otherwise moves to `until_ns`. */
bool ys_clock_step(struct ys_clock *clock, uint64_t until_ns);

/* Lets everything happen until a flag is set, or until `until_ns`; returns the flag. */
bool ys_clock_run_for(struct ys_clock *clock, const bool *flag, uint64_t until_ns);

/* Lets everything happen until then. */
void ys_clock_run(struct ys_clock *clock, uint64_t until_ns);

#endif
