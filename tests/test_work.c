/* Work for later: what waits for its time, and what an interrupt asks for. */
#include "support/check.h"

#include <string.h>

#include <yarnswift/work.h>

#include "sim/chance.h"
#include "support/sample.h"
#include "support/scripted.h"

#define PIECES 6

/* What was done, and what a piece does when it is. */
struct piece {
    struct ys_work work;
    unsigned number;
    unsigned times;
    void (*then)(struct piece *piece);
};

static struct scripted scripted;
static uint8_t values[SAMPLE_VALUES_SIZE];
static struct piece pieces[PIECES];
static char done[200]; /* the numbers of those that were */
static size_t done_count;

static void do_it(struct ys_host *host, void *context)
{
    struct piece *piece = context;
    assert_ptr_equal(host, &scripted.host);
    assert_true(done_count + 1 < sizeof done);
    done[done_count++] = (char)('0' + piece->number);
    done[done_count] = '\0';
    piece->times++;
    if (piece->then != NULL)
        piece->then(piece);
}

static int setup(void **state)
{
    (void)state;
    scripted_init(&scripted, &sample_table, values, NULL);
    for (unsigned i = 0; i < PIECES; i++) {
        pieces[i] = (struct piece){.number = i};
        ys_work_init(&scripted.host, &pieces[i].work, do_it, &pieces[i]);
    }
    done_count = 0;
    done[0] = '\0';
    return 0;
}

/* Turns the host when `ms` more have passed, and compares what was done then. */
static uint32_t pass(uint32_t ms, const char *expected)
{
    done_count = 0;
    done[0] = '\0';
    scripted.now_ms += ms;
    uint32_t wait = turn(&scripted);
    assert_string_equal(done, expected);
    return wait;
}

/* Also while the controller has not been started, and over the end of the clock. */
static void each_is_done_at_its_time_and_the_turn_knows_when(void **state)
{
    (void)state;
    scripted.now_ms = 0xfffffff0u;
    assert_int_equal(turn(&scripted), YS_FOREVER);
    assert_int_equal(ys_work_after(&pieces[0].work, 50), YS_OK);
    assert_int_equal(ys_work_after(&pieces[1].work, 20), YS_OK);
    assert_int_equal(ys_work_after(&pieces[2].work, 50), YS_OK);
    assert_int_equal(ys_work_after(&pieces[3].work, YS_WORK_MS_MOST), YS_OK);
    assert_int_equal(pass(0, ""), 20);
    assert_int_equal(pass(19, ""), 1);
    assert_int_equal(pass(1, "1"), 30);
    assert_true(ys_work_waits(&pieces[2].work) && !ys_work_waits(&pieces[1].work));
    assert_int_equal(pass(31, "02"), YS_WORK_MS_MOST - 51);
    assert_int_equal(pass(YS_WORK_MS_MOST - 52, ""), 1);
    assert_int_equal(pass(1, "3"), YS_FOREVER);
    assert_int_equal(ys_work_after(&pieces[0].work, YS_WORK_MS_MOST + 1), YS_ERROR_ARGUMENT);
    assert_int_equal(ys_work_every(&pieces[0].work, YS_WORK_MS_MOST + 1), YS_ERROR_ARGUMENT);
    assert_int_equal(ys_work_every(&pieces[0].work, 0), YS_ERROR_ARGUMENT);
    assert_false(ys_work_waits(&pieces[0].work));
}

static void what_comes_again_keeps_its_rhythm(void **state)
{
    (void)state;
    assert_int_equal(ys_work_every(&pieces[0].work, 10), YS_OK);
    assert_int_equal(pass(10, "0"), 10);
    assert_int_equal(pass(13, "0"), 7);
    assert_int_equal(pass(40, "0"), 7); /* three were missed */
    assert_int_equal(pass(7, "0"), 10);
    assert_int_equal(ys_work_after(&pieces[0].work, 3), YS_OK); /* no longer again and again */
    assert_int_equal(pass(3, "0"), YS_FOREVER);
    assert_int_equal(ys_work_every(&pieces[0].work, 10), YS_OK);
    assert_int_equal(ys_work_stop(&pieces[0].work), YS_OK);
    assert_int_equal(pass(100, ""), YS_FOREVER);
}

static void begin_again(struct piece *piece)
{
    assert_int_equal(ys_work_after(&piece->work, 0), YS_OK);
}

static void stop_all(struct piece *piece)
{
    (void)piece;
    for (size_t i = 0; i < PIECES; i++)
        assert_int_equal(ys_work_stop(&pieces[i].work), YS_OK);
}

static void work_may_begin_and_stop_itself_and_others(void **state)
{
    (void)state;
    pieces[0].then = begin_again;
    begin_again(&pieces[0]);
    begin_again(&pieces[1]);
    assert_int_equal(pass(0, "01"), 0);
    assert_int_equal(pass(0, "0"), 0);
    pieces[2].then = stop_all;
    begin_again(&pieces[2]);
    assert_int_equal(ys_work_every(&pieces[3].work, 5), YS_OK);
    ys_work_ask(&pieces[4].work);
    ys_work_ask(&pieces[2].work); /* as what is asked for is done first, and 2 after 4 */
    ys_work_ask(&pieces[5].work);
    assert_int_equal(pass(0, "42"), YS_FOREVER);
    assert_int_equal(pass(50, ""), YS_FOREVER);
}

static void ask_again(struct piece *piece)
{
    ys_work_ask(&piece->work);
}

static void what_is_asked_for_is_done_in_the_next_turn_once(void **state)
{
    static struct ys_work early;
    (void)state;
    ys_work_ask(&early);
    assert_int_equal(pass(0, ""), YS_FOREVER);
    ys_work_ask(&pieces[1].work);
    ys_work_ask(&pieces[0].work);
    ys_work_ask(&pieces[1].work);
    assert_int_equal(ys_work_every(&pieces[0].work, 10), YS_OK);
    assert_false(ys_work_waits(&pieces[1].work));
    assert_int_equal(pass(0, "10"), 10); /* its time stays */
    assert_int_equal(pass(10, "0"), 10);
    pieces[1].then = ask_again;
    ys_work_ask(&pieces[1].work);
    assert_int_equal(pass(0, "1"), 0);
    assert_int_equal(pass(0, "1"), 0);
    assert_int_equal(scripted.critical, 0);
}

/* Made anew, it waits for nothing; so with a host that was made anew, whatever the memory of the work says. */
static void who_is_made_anew_waits_for_nothing(void **state)
{
    (void)state;
    ys_work_ask(&pieces[0].work);
    begin_again(&pieces[0]);
    begin_again(&pieces[1]);
    ys_work_init(&scripted.host, &pieces[0].work, do_it, &pieces[0]);
    assert_int_equal(pass(0, "1"), YS_FOREVER);
    for (size_t i = 0; i < PIECES; i++) {
        ys_work_ask(&pieces[i].work);
        begin_again(&pieces[i]);
    }
    scripted_init(&scripted, &sample_table, values, NULL);
    for (size_t i = 0; i < PIECES; i++)
        ys_work_init(&scripted.host, &pieces[i].work, do_it, &pieces[i]);
    assert_int_equal(pass(100, ""), YS_FOREVER);
}

/* Any calls in any order, beside what is done by a table of times alone. */
static void any_order_of_calls_does_what_a_table_of_times_says(void **state)
{
    struct ys_chance chance = ys_chance_of(1, 2);
    uint64_t now = 0xffff0000u;
    uint64_t at[PIECES];
    uint64_t every[PIECES] = {0};
    bool asked[PIECES] = {false};
    unsigned expected[PIECES] = {0};
    (void)state;
    scripted.now_ms = (uint32_t)now;
    memset(at, 0xff, sizeof at);
    for (unsigned i = 0; i < 200000; i++) {
        unsigned k = ys_chance_below(&chance, PIECES);
        uint32_t ms = ys_chance_below(&chance, 40);
        switch (ys_chance_below(&chance, 5)) {
        case 0:
            assert_int_equal(ys_work_after(&pieces[k].work, ms), YS_OK);
            at[k] = now + ms;
            every[k] = 0;
            break;
        case 1:
            assert_int_equal(ys_work_every(&pieces[k].work, ms + 1), YS_OK);
            at[k] = now + ms + 1;
            every[k] = ms + 1;
            break;
        case 2:
            assert_int_equal(ys_work_stop(&pieces[k].work), YS_OK);
            at[k] = UINT64_MAX;
            asked[k] = false;
            break;
        case 3:
            ys_work_ask(&pieces[k].work);
            asked[k] = true;
            break;
        default:
            now += ys_chance_below(&chance, 60);
            scripted.now_ms = (uint32_t)now;
            done_count = 0;
            uint32_t wait = turn(&scripted);
            uint64_t next = UINT64_MAX;
            for (unsigned p = 0; p < PIECES; p++) {
                expected[p] += asked[p];
                asked[p] = false;
                expected[p] += at[p] <= now;
                if (at[p] <= now && every[p] == 0)
                    at[p] = UINT64_MAX;
                while (at[p] <= now)
                    at[p] += every[p];
                next = at[p] < next ? at[p] : next;
                assert_int_equal(pieces[p].times, expected[p]);
                assert_int_equal(ys_work_waits(&pieces[p].work), at[p] != UINT64_MAX);
            }
            assert_int_equal(wait, next == UINT64_MAX ? YS_FOREVER : (uint32_t)(next - now));
        }
    }
}

static uint32_t a_finer_clock(void *context)
{
    (void)context;
    return 123456789;
}

static void the_time_is_that_of_the_port(void **state)
{
    (void)state;
    scripted.now_ms = 5000;
    assert_int_equal(ys_host_now_ms(&scripted.host), 5000);
    assert_int_equal(ys_host_now_us(&scripted.host), 5000000);
    scripted.port.now_us = a_finer_clock;
    assert_int_equal(ys_host_now_us(&scripted.host), 123456789);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test_setup(each_is_done_at_its_time_and_the_turn_knows_when, setup),
        cmocka_unit_test_setup(what_comes_again_keeps_its_rhythm, setup),
        cmocka_unit_test_setup(work_may_begin_and_stop_itself_and_others, setup),
        cmocka_unit_test_setup(what_is_asked_for_is_done_in_the_next_turn_once, setup),
        cmocka_unit_test_setup(who_is_made_anew_waits_for_nothing, setup),
        cmocka_unit_test_setup(any_order_of_calls_does_what_a_table_of_times_says, setup),
        cmocka_unit_test_setup(the_time_is_that_of_the_port, setup),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
