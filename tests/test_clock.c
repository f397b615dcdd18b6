/* Virtual time against the plainest queue there is: of all that are queued, the earliest fires, and of those of one
 * time the one that was queued first. */
#include "support/check.h"

#include <string.h>

#include "sim/chance.h"
#include "sim/clock.h"

#define TIMERS 300
#define FEW    16 /* so many do not count as a crowd */

struct row {
    struct ys_timer timer;
    uint64_t at_ns;
    uint64_t order;
    bool queued;
};

static struct {
    struct ys_clock *clock;
    struct ys_chance chance;
    struct row rows[TIMERS];
    uint64_t orders;
    size_t fired;
    uint64_t until_ns;
    size_t passed;
    unsigned spread; /* which times are drawn */
} all;

static const struct row *earliest(void)
{
    const struct row *first = NULL;
    for (size_t i = 0; i < TIMERS; i++) {
        const struct row *row = &all.rows[i];
        if (row->queued &&
            (first == NULL || row->at_ns < first->at_ns || (row->at_ns == first->at_ns && row->order < first->order)))
            first = row;
    }
    return first;
}

/* Now, soon, within a round of the wheel, rounds later, hours later; or all at one of a few times. */
static uint64_t draw_ns(void)
{
    static const uint64_t spans_ns[] = {1, 1000, 300000, 20000000, 268435456, 3000000000, UINT64_C(7200000000000)};
    uint64_t now_ns = ys_clock_now_ns(all.clock);
    if (all.spread >= COUNT(spans_ns))
        return (now_ns / 1000000 + 1 + ys_chance_below(&all.chance, 2)) * 1000000;
    uint64_t span_ns = spans_ns[ys_chance_below(&all.chance, all.spread + 1)];
    return now_ns + ys_chance_next(&all.chance) % (span_ns + 1);
}

static void set(struct row *row)
{
    uint64_t at_ns = draw_ns();
    *row = (struct row){.timer = row->timer, .at_ns = at_ns, .order = all.orders++, .queued = true};
    ys_clock_set(all.clock, &row->timer, at_ns);
    assert_true(ys_timer_is_set(&row->timer));
    assert_true(ys_timer_at_ns(&row->timer) == at_ns);
}

static void cancel(struct row *row)
{
    row->queued = false;
    ys_clock_cancel(all.clock, &row->timer);
    assert_false(ys_timer_is_set(&row->timer));
    assert_true(ys_timer_at_ns(&row->timer) == UINT64_MAX);
}

static size_t queued(void)
{
    size_t count = 0;
    for (size_t i = 0; i < TIMERS; i++)
        count += all.rows[i].queued;
    return count;
}

/* Something that happens regularly: time goes on only if nothing else would have fired, and not too far. */
static void pass(void)
{
    uint64_t now_ns = ys_clock_now_ns(all.clock);
    uint64_t at_ns = draw_ns();
    const struct row *next = earliest();
    bool may = at_ns > now_ns && at_ns <= all.until_ns && (next == NULL || next->at_ns > at_ns);
    bool passed = ys_clock_pass(all.clock, at_ns);
    assert_true(passed ? may : !may || queued() >= FEW);
    assert_true(ys_clock_now_ns(all.clock) == (passed ? at_ns : now_ns));
    all.passed += passed;
}

static void fire(void *context)
{
    struct row *row = context;
    assert_ptr_equal(row, earliest());
    assert_true(row->queued && ys_clock_now_ns(all.clock) == row->at_ns);
    row->queued = false;
    all.fired++;
    if (ys_chance_below(&all.chance, 2) == 0)
        pass();
    /* from within, too: itself, others, and some go */
    for (unsigned i = ys_chance_below(&all.chance, 3); i > 0; i--)
        set(&all.rows[ys_chance_below(&all.chance, TIMERS)]);
    if (ys_chance_below(&all.chance, 4) == 0)
        cancel(&all.rows[ys_chance_below(&all.chance, TIMERS)]);
}

static void timers_fire_in_the_order_of_the_plainest_queue(void **state)
{
    (void)state;
    for (all.spread = 0; all.spread <= 7; all.spread++) {
        all.clock = ys_clock_new();
        all.chance = ys_chance_of(all.spread, 1);
        all.orders = 0;
        all.fired = 0;
        memset(all.rows, 0, sizeof all.rows);
        assert_non_null(all.clock);
        for (size_t i = 0; i < TIMERS; i++)
            all.rows[i].timer = (struct ys_timer){.fire = fire, .context = &all.rows[i]};
        for (int turn = 0; turn < 4000; turn++) {
            set(&all.rows[ys_chance_below(&all.chance, TIMERS)]);
            if (ys_chance_below(&all.chance, 8) == 0)
                cancel(&all.rows[ys_chance_below(&all.chance, TIMERS)]);
            /* until a time at which nothing may be left that is due */
            uint64_t until_ns = ys_chance_below(&all.chance, 3) == 0 ? draw_ns() : ys_clock_now_ns(all.clock);
            all.until_ns = until_ns;
            for (int steps = 0; steps < 50 && ys_clock_step(all.clock, until_ns); steps++)
                ;
            if (!ys_clock_step(all.clock, until_ns)) {
                const struct row *next = earliest();
                assert_true(ys_clock_now_ns(all.clock) == until_ns);
                assert_true(next == NULL || next->at_ns > until_ns);
            }
        }
        assert_true(all.fired > 1000);
        ys_clock_free(all.clock);
    }
    assert_true(all.passed > 1000);
}

static void passes_and_stops(void *context)
{
    struct ys_clock *clock = context;
    assert_true(ys_clock_pass(clock, 20));
    assert_false(ys_clock_pass(clock, 20));
    assert_false(ys_clock_pass(clock, 101));
    ys_clock_stop(clock);
    assert_false(ys_clock_pass(clock, 30));
}

static void time_does_not_pass_on_a_clock_that_stands(void **state)
{
    (void)state;
    struct ys_clock *clock = ys_clock_new();
    assert_non_null(clock);
    struct ys_timer timer = {.fire = passes_and_stops, .context = clock};
    ys_clock_set(clock, &timer, 10);
    ys_clock_run(clock, 100);
    assert_true(ys_clock_now_ns(clock) == 20);
    ys_clock_free(clock);
}

int main(void)
{
    const struct CMUnitTest tests[] = {cmocka_unit_test(timers_fire_in_the_order_of_the_plainest_queue),
                                       cmocka_unit_test(time_does_not_pass_on_a_clock_that_stands)};
    return cmocka_run_group_tests(tests, NULL, NULL);
}
