/* Virtual time. A few timers wait in order in a list, as in a quiet scene. Of a crowd they wait in no order, each in
 * the slot of its time on a wheel that goes round in a quarter of a second: most of them are far off, and cost the same
 * however many they are. The next one is the least of the next slot that has any, by time and then by the order in
 * which they were queued. Where a slot is crowded, as when all begin at the same time, those in it go to a heap.
 *
 *     list --(one too many)--> wheel, all of them --(a slot is crowded)--> heap
 *     wheel and heap --(few are left)--> list, all of them */
#include "sim/clock.h"

#include <stdlib.h>

/* So many timers may fire at one time, and as many again for each that is queued: many devices may begin together. */
#define AT_ONE_TIME_MOST  100000
#define FOR_EACH_OF_THESE 1000

#define SLOT_BITS 12 /* a slot is so many bits of a time in nanoseconds: 4 us */
#define SLOTS     65536
#define WORD      64
#define PAGE      4096     /* slots that have one word of `worded`: WORD times WORD */
#define FEW       8        /* so many of a slot are looked at one by one */
#define LISTED    32       /* at most so many are in the list; those of a crowd come back when half of that are left */
#define ON_WHEEL  SIZE_MAX /* the place of a timer that is not in the heap */
#define IN_LIST   (SIZE_MAX - 1)

struct queued {
    uint64_t at_ns;
    uint64_t order;
    struct ys_timer *timer;
};

struct ys_clock {
    uint64_t now_ns;
    uint64_t until_ns;    /* so far does time go on now */
    uint64_t at_one_time; /* timers that have fired since time last went on */
    uint64_t next_order;
    struct ys_timer *first; /* of the list: all of them, or none */
    size_t listed;
    struct queued *heap; /* from index 1 on: those of crowded slots */
    size_t heaped;
    size_t capacity;
    size_t on_wheel;
    struct ys_timer *wheel[SLOTS]; /* a slot has timers of every round */
    uint64_t filled[SLOTS / WORD]; /* bits: which slots have any */
    uint64_t worded[SLOTS / PAGE]; /* bits: which words of `filled` have any, so that quiet times cost little */
};

struct ys_clock *ys_clock_new(void)
{
    struct ys_clock *clock = calloc(1, sizeof *clock);
    if (clock == NULL)
        return NULL;
    clock->capacity = 64;
    clock->heap = malloc((clock->capacity + 1) * sizeof(struct queued));
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

uint64_t ys_timer_at_ns(const struct ys_timer *timer)
{
    return timer->place != 0 ? timer->at_ns : UINT64_MAX;
}

bool ys_timer_is_set(const struct ys_timer *timer)
{
    return timer->place != 0;
}

/* the heap */

static inline bool is_before(const struct queued *a, const struct queued *b)
{
    return a->at_ns != b->at_ns ? a->at_ns < b->at_ns : a->order < b->order;
}

static inline void place(struct ys_clock *clock, const struct queued *queued, size_t at)
{
    clock->heap[at] = *queued;
    queued->timer->place = at;
}

static inline void rise(struct ys_clock *clock, const struct queued *queued, size_t at)
{
    while (at > 1 && is_before(queued, &clock->heap[at / 2])) {
        place(clock, &clock->heap[at / 2], at);
        at /= 2;
    }
    place(clock, queued, at);
}

static inline void sink(struct ys_clock *clock, const struct queued *queued, size_t at)
{
    for (size_t child; (child = 2 * at) <= clock->heaped; at = child) {
        if (child < clock->heaped && is_before(&clock->heap[child + 1], &clock->heap[child]))
            child++;
        if (is_before(queued, &clock->heap[child]))
            break;
        place(clock, &clock->heap[child], at);
    }
    place(clock, queued, at);
}

/* Puts it where it belongs, with a hole at `at`. */
static void settle(struct ys_clock *clock, const struct queued *queued, size_t at)
{
    if (at > 1 && is_before(queued, &clock->heap[at / 2]))
        rise(clock, queued, at);
    else
        sink(clock, queued, at);
}

static void grow(struct ys_clock *clock)
{
    clock->capacity *= 2;
    clock->heap = realloc(clock->heap, (clock->capacity + 1) * sizeof(struct queued));
    if (clock->heap == NULL)
        abort(); /* a simulation without memory for its events cannot be true to time */
}

static void enter_heap(struct ys_clock *clock, struct ys_timer *timer)
{
    const struct queued queued = {.at_ns = timer->at_ns, .order = timer->order, .timer = timer};
    if (clock->heaped == clock->capacity)
        grow(clock);
    rise(clock, &queued, ++clock->heaped);
}

static void leave_heap(struct ys_clock *clock, size_t at)
{
    struct queued last = clock->heap[clock->heaped--];
    if (at <= clock->heaped)
        settle(clock, &last, at);
}

/* chains: a slot of the wheel, and the list */

static inline bool fires_before(const struct ys_timer *a, const struct ys_timer *b)
{
    return a->at_ns != b->at_ns ? a->at_ns < b->at_ns : a->order < b->order;
}

static inline void chain(struct ys_timer **at, struct ys_timer *timer)
{
    struct ys_timer *next = *at;
    timer->next = next;
    if (next != NULL)
        next->link = &timer->next;
    timer->link = at;
    *at = timer;
}

static inline void unchain(struct ys_timer *timer)
{
    struct ys_timer *next = timer->next;
    *timer->link = next;
    if (next != NULL)
        next->link = timer->link;
}

/* the wheel */

static inline void enter_wheel(struct ys_clock *clock, struct ys_timer *timer)
{
    size_t slot = (timer->at_ns >> SLOT_BITS) % SLOTS;
    timer->place = ON_WHEEL;
    chain(&clock->wheel[slot], timer);
    clock->filled[slot / WORD] |= UINT64_C(1) << slot % WORD;
    clock->worded[slot / PAGE] |= UINT64_C(1) << slot / WORD % WORD;
    clock->on_wheel++;
}

static inline void empty(struct ys_clock *clock, size_t slot)
{
    uint64_t *word = &clock->filled[slot / WORD];
    *word &= ~(UINT64_C(1) << slot % WORD);
    if (*word == 0)
        clock->worded[slot / PAGE] &= ~(UINT64_C(1) << slot / WORD % WORD);
}

static inline void leave_wheel(struct ys_clock *clock, struct ys_timer *timer)
{
    unchain(timer);
    if (*timer->link == NULL) {
        size_t slot = (timer->at_ns >> SLOT_BITS) % SLOTS;
        if (clock->wheel[slot] == NULL)
            empty(clock, slot);
    }
    clock->on_wheel--;
}

/* The first slot from this one on that has any timer, in this round or the next; there must be one. */
static inline uint64_t next_filled(const struct ys_clock *clock, uint64_t slot)
{
    uint64_t word = clock->filled[slot % SLOTS / WORD] >> slot % WORD;
    if (word != 0)
        return slot + (uint64_t)__builtin_ctzll(word);
    slot += WORD - slot % WORD;
    uint64_t words = 0;
    while ((words = clock->worded[slot % SLOTS / PAGE] >> slot / WORD % WORD) == 0)
        slot += PAGE - slot % PAGE;
    slot += WORD * (uint64_t)__builtin_ctzll(words);
    return slot + (uint64_t)__builtin_ctzll(clock->filled[slot % SLOTS / WORD]);
}

static void take_crowd(struct ys_clock *clock, uint64_t slot)
{
    struct ys_timer *next = NULL;
    for (struct ys_timer *timer = clock->wheel[slot % SLOTS]; timer != NULL; timer = next) {
        next = timer->next;
        if (timer->at_ns >> SLOT_BITS == slot) {
            leave_wheel(clock, timer);
            enter_heap(clock, timer);
        }
    }
}

/* The next one on the wheel, of slots up to `last`. NULL: none, or a crowd has gone to the heap, and it is there. */
static inline struct ys_timer *next_on_wheel(struct ys_clock *clock, uint64_t last)
{
    uint64_t slot = clock->now_ns >> SLOT_BITS;
    while (clock->on_wheel > 0 && (slot = next_filled(clock, slot)) <= last) {
        struct ys_timer *first = NULL;
        unsigned count = 0;
        for (struct ys_timer *timer = clock->wheel[slot % SLOTS]; timer != NULL; timer = timer->next) {
            if (timer->at_ns >> SLOT_BITS != slot)
                continue;
            count++;
            if (first == NULL || fires_before(timer, first))
                first = timer;
        }
        if (count > FEW) {
            take_crowd(clock, slot);
            return NULL;
        }
        if (first != NULL)
            return first;
        slot++;
    }
    return NULL;
}

/* the list */

static inline bool is_crowded(const struct ys_clock *clock)
{
    return clock->on_wheel + clock->heaped > 0;
}

static inline void enter_list(struct ys_clock *clock, struct ys_timer *timer)
{
    struct ys_timer **at = &clock->first;
    while (*at != NULL && fires_before(*at, timer))
        at = &(*at)->next;
    chain(at, timer);
    timer->place = IN_LIST;
    clock->listed++;
}

static inline void leave_list(struct ys_clock *clock, struct ys_timer *timer)
{
    unchain(timer);
    clock->listed--;
}

static void list_to_wheel(struct ys_clock *clock)
{
    while (clock->listed > 0) {
        struct ys_timer *timer = clock->first;
        leave_list(clock, timer);
        enter_wheel(clock, timer);
    }
}

static void others_to_list(struct ys_clock *clock)
{
    while (clock->heaped > 0)
        enter_list(clock, clock->heap[clock->heaped--].timer);
    for (uint64_t slot = 0; clock->on_wheel > 0;) {
        struct ys_timer *timer = clock->wheel[slot = next_filled(clock, slot)];
        leave_wheel(clock, timer);
        enter_list(clock, timer);
    }
}

/* all */

static inline void leave(struct ys_clock *clock, struct ys_timer *timer)
{
    if (timer->place == IN_LIST)
        leave_list(clock, timer);
    else if (timer->place == ON_WHEEL)
        leave_wheel(clock, timer);
    else
        leave_heap(clock, timer->place);
    timer->place = 0;
}

void ys_clock_cancel(struct ys_clock *clock, struct ys_timer *timer)
{
    if (timer->place != 0)
        leave(clock, timer);
}

void ys_clock_set(struct ys_clock *clock, struct ys_timer *timer, uint64_t at_ns)
{
    if (timer->place != 0)
        leave(clock, timer);
    timer->at_ns = at_ns > clock->now_ns ? at_ns : clock->now_ns;
    timer->order = clock->next_order++;
    if (clock->listed == LISTED)
        list_to_wheel(clock);
    if (is_crowded(clock))
        enter_wheel(clock, timer);
    else
        enter_list(clock, timer);
}

/* Of a crowd: the one that fires next, if it is due until then; else NULL. */
static inline struct ys_timer *next_of_crowd(struct ys_clock *clock, uint64_t until_ns)
{
    uint64_t heap_ns = clock->heaped > 0 ? clock->heap[1].at_ns : UINT64_MAX;
    uint64_t last_ns = heap_ns < until_ns ? heap_ns : until_ns;
    struct ys_timer *first = next_on_wheel(clock, last_ns >> SLOT_BITS);
    if (clock->heaped > 0 && (first == NULL || fires_before(clock->heap[1].timer, first)))
        first = clock->heap[1].timer;
    return first != NULL && first->at_ns <= until_ns ? first : NULL;
}

/* Takes out the one that fires next, if it is due until then; else NULL. */
static inline struct ys_timer *take_next(struct ys_clock *clock, uint64_t until_ns)
{
    size_t others = clock->on_wheel + clock->heaped;
    if (others > LISTED / 2) {
        struct ys_timer *timer = next_of_crowd(clock, until_ns);
        if (timer != NULL)
            leave(clock, timer);
        return timer;
    }
    if (others > 0)
        others_to_list(clock);
    struct ys_timer *timer = clock->first;
    if (timer == NULL || timer->at_ns > until_ns)
        return NULL;
    leave_list(clock, timer);
    timer->place = 0;
    return timer;
}

bool ys_clock_stands(const struct ys_clock *clock)
{
    return clock->at_one_time > AT_ONE_TIME_MOST &&
           clock->at_one_time >
               AT_ONE_TIME_MOST + FOR_EACH_OF_THESE * (uint64_t)(clock->heaped + clock->on_wheel + clock->listed);
}

void ys_clock_stop(struct ys_clock *clock)
{
    clock->at_one_time = UINT64_MAX;
}

static inline bool fire_next(struct ys_clock *clock, uint64_t until_ns)
{
    if (ys_clock_stands(clock))
        return false;
    struct ys_timer *timer = take_next(clock, until_ns);
    if (timer == NULL) {
        if (until_ns > clock->now_ns) {
            clock->now_ns = until_ns;
            clock->at_one_time = 0;
        }
        return false;
    }
    clock->at_one_time = timer->at_ns > clock->now_ns ? 0 : clock->at_one_time + 1;
    clock->now_ns = timer->at_ns;
    timer->fire(timer->context);
    return true;
}

bool ys_clock_pass(struct ys_clock *clock, uint64_t at_ns)
{
    bool is_next = !is_crowded(clock) && (clock->first == NULL || clock->first->at_ns > at_ns);
    if (!is_next || at_ns <= clock->now_ns || at_ns > clock->until_ns || ys_clock_stands(clock))
        return false;
    clock->now_ns = at_ns;
    clock->at_one_time = 0;
    return true;
}

bool ys_clock_step(struct ys_clock *clock, uint64_t until_ns)
{
    clock->until_ns = until_ns;
    return fire_next(clock, until_ns);
}

bool ys_clock_run_for(struct ys_clock *clock, const bool *flag, uint64_t until_ns)
{
    bool more = true;
    while (!*flag && more) {
        clock->until_ns = until_ns; /* what has fired may have run the clock itself */
        more = fire_next(clock, until_ns);
    }
    return *flag;
}

void ys_clock_run(struct ys_clock *clock, uint64_t until_ns)
{
    static const bool never;
    (void)ys_clock_run_for(clock, &never, until_ns);
}
