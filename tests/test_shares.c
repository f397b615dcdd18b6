/* Several connections of one central on one radio: what each gets, and what all get together. */
#include "support/check.h"

#include <stdio.h>
#include <stdlib.h>

#include "sim/controller_state.h"
#include "sim/link_time.h"
#include "support/pump.h"

enum way { UP = 1, DOWN = 2, BOTH = UP | DOWN };

/* What is streamed: bits of `enum way`, by every link or only the first; and what their controllers are like. */
struct load {
    size_t links;
    enum way way;
    bool one_alone;
    enum ys_phy phy;
    uint16_t interval;
    uint8_t length;
    bool encrypted;
    const struct ys_character *character;
};

static const char *const phys[] = {
    [YS_PHY_1M] = "01 01 0000", [YS_PHY_2M] = "02 02 0000", [YS_PHY_CODED_S8] = "04 04 0200", [YS_PHY_CODED_S2] = ""};

static void join(const struct load *load, size_t which)
{
    char command[100];
    pumps_join(0, which, load->interval, 0, 400);
    for (size_t i = 0; i < 2; i++) {
        size_t side = i == 0 ? 0 : which;
        unsigned handle = i == 0 ? (unsigned)which : 1;
        (void)snprintf(command, sizeof command, "01 2220 06 %02x00 %02x00 9042", handle, load->length);
        pump_tell(side, command);
        (void)snprintf(command, sizeof command, "01 3220 07 %02x00 00 %s", handle, phys[load->phy]);
        pump_tell(side, command);
        pump_run_ms(40 * load->interval);
    }
    if (!load->encrypted)
        return;
    (void)snprintf(command, sizeof command, "01 1920 1c %02x00 %s", (unsigned)which,
                   "0000000000000000 0000 0102030405060708090a0b0c0d0e0f10");
    pump_tell(0, command);
    pump_run_ms(40 * load->interval);
    assert_true(pumps.sides[which].encrypted);
}

/* Frames that a link has carried, both ways together. */
static uint64_t carried(size_t which)
{
    return pumps.sides[0].received[which] + pumps.sides[which].received[1];
}

/* Lets them stream, and counts the frames of each in 10 s; the sum. */
static uint64_t stream(const struct load *load, uint64_t frames[PUMPS_MOST])
{
    struct ys_controller_settings settings[PUMPS_MOST];
    uint64_t sum = 0;
    for (size_t i = 0; i < PUMPS_MOST; i++)
        settings[i] = (struct ys_controller_settings){
            .seed = 1, .sets = 1, .buffer_count = 64, .character = i == 0 ? load->character : NULL};
    pumps_begin(load->links + 1, settings);
    for (size_t i = 1; i <= load->links; i++)
        join(load, i);
    for (size_t i = 1; i <= load->links; i++) {
        bool streams = !load->one_alone || i == 1;
        if (streams && (load->way & UP) != 0)
            pump_stream(i, 1, load->length);
        if (streams && (load->way & DOWN) != 0)
            pump_stream(0, (uint16_t)i, load->length);
    }
    pump_run_ms(200 * load->interval); /* they find their places */
    for (size_t i = 1; i <= load->links; i++)
        frames[i] = carried(i);
    pump_run_ms(10000);
    for (size_t i = 1; i <= load->links; i++) {
        frames[i] = carried(i) - frames[i];
        sum += frames[i];
        assert_int_equal(pumps.sides[i].out_of_order, 0);
    }
    assert_int_equal(pumps.sides[0].out_of_order, 0);
    assert_int_equal(pumps.sides[0].disconnections, 0);
    pumps_end();
    return sum;
}

/* What one link carries by calculation, in frames of 10 s. */
static double alone(const struct load *load)
{
    struct ys_link_limit limit;
    const struct ys_link_shape shape = {.data_phy = load->phy,
                                        .answer_phy = load->phy,
                                        .interval_us = load->interval * 1250u,
                                        .packet_length = load->length,
                                        .encrypted = load->encrypted,
                                        .by_central = load->way == DOWN,
                                        .value_bytes = load->length,
                                        .frame_bytes = load->length};
    ys_link_limit(&shape, &limit);
    return limit.frames_hz * 10;
}

static void saturated_links_carry_together_what_one_alone_would(void **state)
{
    static const struct load loads[] = {
        {.way = UP, .phy = YS_PHY_2M, .interval = 24, .length = 251},
        {.way = DOWN, .phy = YS_PHY_2M, .interval = 24, .length = 251},
        {.way = BOTH, .phy = YS_PHY_2M, .interval = 24, .length = 251},
        {.way = UP, .phy = YS_PHY_2M, .interval = 24, .length = 251, .encrypted = true},
        {.way = UP, .phy = YS_PHY_1M, .interval = 40, .length = 251},
        {.way = UP, .phy = YS_PHY_1M, .interval = 24, .length = 27},
        {.way = DOWN, .phy = YS_PHY_1M, .interval = 80, .length = 123},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(loads); i++) {
        for (size_t links = 1; links <= 4; links++) {
            struct load load = loads[i];
            uint64_t frames[PUMPS_MOST];
            uint64_t least = UINT64_MAX;
            load.links = links;
            uint64_t sum = stream(&load, frames);
            struct load one = loads[i];
            one.links = 1;
            double most = load.way == BOTH ? (double)stream(&one, (uint64_t[PUMPS_MOST]){0}) : alone(&load);
            for (size_t k = 1; k <= links; k++)
                least = frames[k] < least ? frames[k] : least;
            if ((double)sum < 0.97 * most || (double)sum > 1.01 * most || 2 * links * least < sum) {
                (void)printf("load %zu: %zu links carry %llu frames of %.0f, and the least of them %llu\n", i, links,
                             (unsigned long long)sum, most, (unsigned long long)least);
                fail();
            }
        }
    }
}

/* Where there is no time for all in each event, they take turns. */
static void links_that_do_not_fit_beside_each_other_take_turns(void **state)
{
    static const struct load loads[] = {
        {.links = 4, .way = UP, .phy = YS_PHY_1M, .interval = 6, .length = 251},
        {.links = 2, .way = UP, .phy = YS_PHY_CODED_S8, .interval = 12, .length = 251},
        {.links = 4, .way = UP, .phy = YS_PHY_CODED_S8, .interval = 24, .length = 251},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(loads); i++) {
        uint64_t frames[PUMPS_MOST];
        uint64_t sum = stream(&loads[i], frames);
        for (size_t k = 1; k <= loads[i].links; k++)
            assert_true(3 * loads[i].links * frames[k] > sum);
    }
}

/* Three that have nothing to say leave the fourth its time. */
static void who_is_quiet_takes_the_time_of_one_exchange(void **state)
{
    struct load load = {.links = 4, .way = UP, .one_alone = true, .phy = YS_PHY_2M, .interval = 24, .length = 251};
    uint64_t frames[PUMPS_MOST];
    (void)state;
    uint64_t sum = stream(&load, frames);
    assert_true((double)sum > 0.7 * alone(&load));
}

/* What the standard leaves to a controller. */
static void controllers_differ_as_their_characters_say(void **state)
{
    struct load load = {.links = 1, .way = UP, .phy = YS_PHY_2M, .interval = 24, .length = 251};
    uint64_t frames[PUMPS_MOST];
    (void)state;
    load.character = ys_character_find("extending");
    assert_in_range(stream(&load, frames), 21 * 333 - 5, 21 * 333 + 15);
    load.character = ys_character_find("slotted"); /* 3.75 ms: two of 1,392 us, with the longest answer kept free */
    assert_in_range(stream(&load, frames), 2 * 333 - 5, 2 * 333 + 15);
    load.character = ys_character_find("sparing");
    assert_in_range(stream(&load, frames), 4 * 333 - 5, 4 * 333 + 15);
    load.links = 4;
    load.character = ys_character_find("slotted");
    assert_in_range(stream(&load, frames), 8 * 333 - 20, 8 * 333 + 60);
    assert_null(ys_character_find("of another kind"));
}

/* Vol 6 Part B 5.1.1: a controller that moves its events says nothing of that to its host; one that was asked does. */
static void hosts_do_not_hear_of_a_move(void **state)
{
    struct ys_controller_settings settings[3] = {{.seed = 1, .sets = 1, .buffer_count = 8},
                                                 {.seed = 1, .sets = 1, .buffer_count = 8},
                                                 {.seed = 1, .sets = 1, .buffer_count = 8}};
    (void)state;
    pumps_begin(3, settings);
    for (size_t i = 1; i < 3; i++) {
        pumps_join(0, i, 24, 0, 400);
        pump_stream(i, 1, 27);
    }
    pump_tell(0, "01 2220 06 0100 fb00 9042");
    const struct link *link = link_find(pumps.sides[1].controller, 1);
    uint64_t anchor_ns = link->anchor_ns;
    pumps.sides[0].interval = pumps.sides[1].interval = pumps.sides[2].interval = 0;
    pump_run_ms(3000);
    assert_true((link->anchor_ns - anchor_ns) % 30000000 != 0); /* it was moved */
    assert_int_equal(pumps.sides[0].interval + pumps.sides[1].interval + pumps.sides[2].interval, 0);
    pump_tell(0, "01 1320 0e 0100 1800 1800 0000 9001 0000 0000");
    pump_run_ms(3000);
    assert_int_equal(pumps.sides[0].interval, 24);
    assert_int_equal(pumps.sides[0].statuses, 0);
    pumps_end();
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(saturated_links_carry_together_what_one_alone_would),
        cmocka_unit_test(links_that_do_not_fit_beside_each_other_take_turns),
        cmocka_unit_test(who_is_quiet_takes_the_time_of_one_exchange),
        cmocka_unit_test(controllers_differ_as_their_characters_say),
        cmocka_unit_test(hosts_do_not_hear_of_a_move),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
