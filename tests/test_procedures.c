/* Control procedures of the link layer: each with each other, refused, and interrupted, from both sides. */
#include "sim/link_time.h"
#include "sim/procedures.h"
#include "support/check.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "sim/controller_state.h"
#include "support/hex.h"
#include "support/pump.h"

#define INTERVAL_MS 20

/* From one moment that is tried to the next: so many by default, and all in the checks. */
static uint64_t step(uint64_t finest)
{
    return getenv("YARNSWIFT_EVERY_LINK") != NULL ? finest : 5 * finest;
}

/* What a host can begin on connection 1. */
struct begun {
    const char *name;
    const char *command;
    bool central_only;
};

static const struct begun all[] = {
    {"nothing", NULL, false},
    {"version", "01 1d04 02 0100", false},
    {"features", "01 1620 02 0100", false},
    {"length", "01 2220 06 0100 fb00 9042", false},
    {"2M", "01 3220 07 0100 00 02 02 0000", false},
    {"coded one way", "01 3220 07 0100 00 04 01 0200", false},
    {"parameters", "01 1320 0e 0100 1800 1800 0100 9001 0000 0000", false},
    {"other parameters", "01 1320 0e 0100 0800 0800 0000 9001 0000 0000", false},
    {"channel map", "01 1420 05 ff00ff0000", true},
    {"encryption", PUMP_ENCRYPT, true},
};

#define KINDS COUNT(all)

static void begin(size_t side, const struct begun *begun)
{
    if (begun->command != NULL)
        pump_tell(side, begun->command);
}

static void connect(const struct ys_controller_settings *settings)
{
    pumps_begin(2, settings);
    pumps_connect(1, INTERVAL_MS * 4 / 5, 0, 400);
    pump_stream(0, 1, 60);
    pump_stream(1, 1, 40);
    pump_run_ms(10 * INTERVAL_MS);
}

/* Whether both sides are still there, of one mind, and data goes on both ways. */
static bool is_sound(const char *what)
{
    const struct pump *one = &pumps.sides[0];
    const struct pump *other = &pumps.sides[1];
    uint64_t received[2] = {one->received[1], other->received[1]};
    pump_run_ms(10 * INTERVAL_MS);
    bool sound = one->disconnections == 0 && other->disconnections == 0 && one->interval == other->interval &&
                 one->send_phy == other->receive_phy && one->receive_phy == other->send_phy && one->out_of_order == 0 &&
                 other->out_of_order == 0 && one->received[1] > received[0] + 5 && other->received[1] > received[1] + 5;
    if (!sound)
        (void)printf("%s: disconnected %u and %u (0x%02x, 0x%02x), intervals %u and %u, PHYs %u/%u and %u/%u, "
                     "%llu and %llu frames\n",
                     what, one->disconnections, other->disconnections, one->reason, other->reason, one->interval,
                     other->interval, one->send_phy, one->receive_phy, other->send_phy, other->receive_phy,
                     (unsigned long long)(one->received[1] - received[0]),
                     (unsigned long long)(other->received[1] - received[1]));
    return sound;
}

/* Vol 6 Part B 4.5.10, 5.1.1, 5.1.9, 5.1.10. */
static void any_two_procedures_of_the_two_sides_get_along(void **state)
{
    bool good = true;
    (void)state;
    for (size_t a = 0; a < KINDS; a++) {
        for (size_t b = 0; b < KINDS; b++) {
            for (uint64_t offset_ms = 0; offset_ms <= 5 * INTERVAL_MS && !all[a].central_only; offset_ms += step(7)) {
                char what[80];
                (void)snprintf(what, sizeof what, "%s and, %d ms later, the central's %s", all[a].name, (int)offset_ms,
                               all[b].name);
                connect(NULL);
                pumps.sides[0].interval = pumps.sides[1].interval;
                begin(0, &all[a]);
                pump_run_ms(offset_ms);
                begin(1, &all[b]);
                pump_run_ms(60 * INTERVAL_MS);
                good = is_sound(what) && good;
                pumps_end();
            }
        }
    }
    assert_true(good);
}

/* Vol 6 Part B 5.3: the central goes on with its own, and refuses the peripheral's. */
static void a_central_refuses_what_collides_with_its_own(void **state)
{
    static const struct {
        const char *peripheral;
        const char *central;
        uint8_t status;
    } cases[] = {
        {"01 3220 07 0100 00 02 02 0000", "01 3220 07 0100 00 04 04 0000", YS_HCI_COLLISION},
        {"01 1320 0e 0100 1800 1800 0100 9001 0000 0000", "01 1320 0e 0100 0800 0800 0000 9001 0000 0000",
         YS_HCI_COLLISION},
        {"01 3220 07 0100 00 02 02 0000", "01 1420 05 ff00ff0000", YS_HCI_DIFFERENT_COLLISION},
        {"01 1320 0e 0100 1800 1800 0100 9001 0000 0000", "01 3220 07 0100 00 02 02 0000", YS_HCI_DIFFERENT_COLLISION},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        connect(NULL);
        pumps.sides[0].interval = pumps.sides[1].interval;
        pump_tell(0, cases[i].peripheral);
        pump_tell(1, cases[i].central);
        pump_run_ms(60 * INTERVAL_MS);
        assert_int_equal(pumps.sides[0].status, cases[i].status);
        assert_int_equal(pumps.sides[1].statuses, 0);
        assert_true(is_sound("collision"));
        pumps_end();
    }
}

static void any_two_procedures_of_one_side_follow_each_other(void **state)
{
    bool good = true;
    (void)state;
    for (size_t side = 0; side < 2; side++) {
        for (size_t a = 0; a < KINDS; a++) {
            for (size_t b = 0; b < KINDS; b++) {
                char what[80];
                if (side == 0 && (all[a].central_only || all[b].central_only))
                    continue;
                (void)snprintf(what, sizeof what, "%s and %s of side %d", all[a].name, all[b].name, (int)side);
                connect(NULL);
                pumps.sides[0].interval = pumps.sides[1].interval;
                begin(side, &all[a]);
                begin(side, &all[b]);
                pump_run_ms(80 * INTERVAL_MS);
                good = is_sound(what) && good;
                assert_int_equal(pumps.sides[side].statuses, 0);
                pumps_end();
            }
        }
    }
    assert_true(good);
}

static void what_the_other_side_does_not_know_comes_to_nothing_and_no_harm(void **state)
{
    (void)state;
    for (size_t side = 0; side < 2; side++) {
        for (size_t a = 0; a < KINDS; a++) {
            struct ys_controller_settings settings[2] = {{.seed = 1, .sets = 1, .buffer_count = 8},
                                                         {.seed = 1, .sets = 1, .buffer_count = 8}};
            if (side == 0 && all[a].central_only)
                continue;
            settings[1 - side].lacks = ~UINT64_C(1); /* all but encryption */
            connect(settings);
            pumps.sides[0].interval = pumps.sides[1].interval;
            begin(side, &all[a]);
            pump_run_ms(60 * INTERVAL_MS);
            assert_true(is_sound(all[a].name));
            assert_int_equal(pumps.sides[0].send_octets, 27);
            pumps_end();
        }
    }
}

/* Vol 6 Part B 5.1.7; Vol 4 Part E 7.7.65.6, 7.8.31, 7.8.32. */
static void parameters_that_the_central_refuses_leave_the_link_as_it_was(void **state)
{
    (void)state;
    connect(NULL);
    pumps.sides[0].interval = pumps.sides[1].interval;
    pumps.sides[1].refuses = true;
    pump_tell(0, "01 1320 0e 0100 1800 1800 0100 9001 0000 0000");
    pump_run_ms(60 * INTERVAL_MS);
    assert_int_equal(pumps.sides[0].statuses, 1);
    assert_int_equal(pumps.sides[0].interval, INTERVAL_MS * 4 / 5);
    assert_true(is_sound("refused"));
    pumps_end();
}

/* Vol 6 Part B 5.1.7; Vol 4 Part E 7.7.65.6, 7.8.31, 7.8.32. */
static void a_host_may_answer_late(void **state)
{
    (void)state;
    connect(NULL);
    pumps.sides[0].interval = pumps.sides[1].interval;
    pumps.sides[1].never = true;
    pump_tell(0, "01 1320 0e 0100 1800 1800 0100 9001 0000 0000");
    pump_run_ms(20000);
    assert_true(is_sound("not answered yet"));
    assert_int_equal(pumps.sides[0].interval, INTERVAL_MS * 4 / 5);
    pumps.sides[1].never = false;
    pump_run_ms(60 * INTERVAL_MS);
    assert_int_equal(pumps.sides[0].interval, 24);
    assert_true(is_sound("answered late"));
    pumps_end();
}

/* Vol 6 Part B 5.2. */
static void what_is_never_answered_ends_the_link_after_40_s(void **state)
{
    (void)state;
    connect(NULL);
    pumps.sides[1].never = true;
    pump_tell(0, "01 1320 0e 0100 1800 1800 0100 9001 0000 0000");
    pump_run_ms(39900);
    assert_int_equal(pumps.sides[0].disconnections, 0);
    pump_run_ms(1000);
    assert_int_equal(pumps.sides[0].disconnections + pumps.sides[1].disconnections > 0, 1);
    assert_true(pumps.sides[0].reason == YS_HCI_LINK_RESPONSE_TIMEOUT ||
                pumps.sides[1].reason == YS_HCI_LINK_RESPONSE_TIMEOUT);
    pumps_end();
}

#define ALL_CHANNELS UINT64_C(0xffffffffff)

static void a_procedure_survives_silence_at_any_moment(void **state)
{
    bool good = true;
    (void)state;
    for (size_t side = 0; side < 2; side++) {
        for (size_t a = 1; a < KINDS; a++) {
            for (uint64_t after_ms = 0; after_ms < 10 * INTERVAL_MS; after_ms += step(5)) {
                char what[80];
                if (side == 0 && all[a].central_only)
                    continue;
                (void)snprintf(what, sizeof what, "%s of side %d, silence after %d ms", all[a].name, (int)side,
                               (int)after_ms);
                connect(NULL);
                pumps.sides[0].interval = pumps.sides[1].interval;
                begin(side, &all[a]);
                pump_run_ms(after_ms);
                ys_radio_jam(pumps.radio, ALL_CHANNELS);
                pump_run_ms(3 * INTERVAL_MS); /* less than an instant is ahead */
                ys_radio_jam(pumps.radio, 0);
                pump_run_ms(60 * INTERVAL_MS);
                good = is_sound(what) && good;
                pumps_end();
            }
        }
    }
    assert_true(good);
}

static void a_link_that_dies_in_a_procedure_is_over_for_both_and_may_begin_anew(void **state)
{
    (void)state;
    for (size_t side = 0; side < 2; side++) {
        for (size_t a = 1; a < KINDS; a++) {
            for (uint64_t after_ms = 0; after_ms < 8 * INTERVAL_MS; after_ms += step(13)) {
                if (side == 0 && all[a].central_only)
                    continue;
                connect(NULL);
                begin(side, &all[a]);
                pump_run_ms(after_ms);
                ys_radio_jam(pumps.radio, ALL_CHANNELS);
                pump_run_ms(6000);
                assert_int_equal(pumps.sides[0].disconnections, 1);
                assert_int_equal(pumps.sides[1].disconnections, 1);
                assert_int_equal(pumps.sides[0].reason, YS_HCI_TIMEOUT);
                assert_int_equal(pumps.sides[1].reason, YS_HCI_TIMEOUT);
                ys_radio_jam(pumps.radio, 0);
                pumps_connect(1, 16, 0, 400);
                assert_int_equal(pumps.sides[0].connections, 2);
                pumps_end();
            }
        }
    }
}

/* Vol 6 Part B 5.5. */
static void an_instant_that_has_passed_ends_the_link(void **state)
{
    (void)state;
    connect(NULL);
    /* a central whose map is to hold from an event on that is over when the peripheral hears of it */
    struct link *link = link_find(pumps.sides[0].controller, 1);
    const struct ys_link_control_pdu late = {.opcode = YS_LINK_CHANNEL_MAP_IND,
                                             .channel_map = {0xff, 0xff, 0xff, 0xff, 0x1f},
                                             .instant = (uint16_t)(link->counter - 3)};
    assert_true(procedures_control_in(link, &late));
    assert_int_equal(pumps.sides[0].reason, YS_HCI_INSTANT_PASSED);
    pumps_end();
}

/* Vol 6 Part B 4.5.8.1, 5.1.2; Vol 4 Part E 7.8.19, 7.8.20. */
static void a_map_holds_from_its_instant_on_and_other_channels_stay_empty(void **state)
{
    (void)state;
    connect(NULL);
    pump_tell(1, "01 1420 05 0f00000000");
    pump_run_ms(20 * INTERVAL_MS);
    ys_radio_jam(pumps.radio, ALL_CHANNELS & ~UINT64_C(0x0f));
    pumps.sides[0].interval = pumps.sides[1].interval;
    assert_true(is_sound("four channels"));
    pumps_end();
}

static void a_central_that_adapts_leaves_bad_channels_out(void **state)
{
    struct ys_controller_settings settings[2] = {{.seed = 1, .sets = 1, .buffer_count = 8},
                                                 {.seed = 1, .sets = 1, .buffer_count = 8, .adapts = true}};
    double shares[40] = {0};
    (void)state;
    connect(settings);
    for (int i = 0; i < 20; i++)
        shares[i] = 0.9;
    ys_radio_lose(pumps.radio, shares, 1);
    pump_run_ms(1500 * INTERVAL_MS);
    const uint8_t *map = link_find(pumps.sides[1].controller, 1)->parameters.channel_map;
    assert_int_equal(map[0], 0);
    assert_int_equal(map[1], 0);
    assert_int_equal(map[4], 0x1f);
    pumps_end();
}

/* Vol 6 Part B 4.2.1, 4.2.2, 4.5.7. */
static void clocks_that_are_as_far_off_as_they_promise_keep_the_link(void **state)
{
    (void)state;
    for (int sign = -1; sign <= 1; sign += 2) {
        const struct ys_controller_settings settings[2] = {
            {.seed = 1, .buffer_count = 8, .clock_accuracy_ppm = 500, .clock_error_ppb = 499000 * sign},
            {.seed = 1, .buffer_count = 8, .clock_accuracy_ppm = 250, .clock_error_ppb = -249000 * sign}};
        pumps_begin(2, settings);
        pumps_connect(1, 800, 2, 3200); /* every second, of which two of three may be left out */
        pump_run_ms(600000);
        assert_int_equal(pumps.sides[0].disconnections, 0);
        assert_int_equal(pumps.sides[1].disconnections, 0);
        pump_stream(0, 1, 20);
        pump_run_ms(10000);
        assert_true(pumps.sides[1].received[1] > 20);
        pumps_end();
    }
}

/* Vol 6 Part B 4.2.1, 4.2.2. */
static void a_clock_that_breaks_its_promise_loses_the_link(void **state)
{
    const struct ys_controller_settings settings[2] = {
        {.seed = 1, .buffer_count = 8, .clock_accuracy_ppm = 20, .clock_error_ppb = 2000000},
        {.seed = 1, .buffer_count = 8, .clock_accuracy_ppm = 20}};
    (void)state;
    pumps_begin(2, settings);
    pumps_connect(1, 800, 0, 600);
    pump_run_ms(60000);
    assert_int_equal(pumps.sides[1].disconnections, 1);
    pumps_end();
}

static void a_peripheral_with_nothing_to_say_rests_and_is_there_when_it_has(void **state)
{
    (void)state;
    pumps_begin(2, NULL);
    pumps_connect(1, 24, 9, 400); /* 30 ms */
    pump_run_ms(1000);
    uint64_t before = pumps.air_packets;
    pump_run_ms(6000);
    uint64_t packets = pumps.air_packets - before; /* 200 of the central; the peripheral answers each tenth */
    assert_in_range(packets, 215, 225);
    pump_stream(0, 1, 20);
    pump_run_ms(65); /* two events */
    assert_true(pumps.sides[1].received[1] > 0);
    pump_stream(0, 1, 0);
    pump_run_ms(1000);
    pump_tell(0, "01 1d04 02 0100"); /* so it is with what the link layer itself has to ask */
    pump_run_ms(125);                /* it asks, hears, and has told */
    assert_int_equal(pumps.sides[0].last_event[1], 0x0c);
    pumps_end();
}

/* Vol 6 Part B 5.1.4, 5.1.5; Vol 4 Part E 7.1.23, 7.7.12, 7.3.35, 7.5.4, 7.7.65.4, 7.8.21. */
static void the_host_hears_of_version_features_power_and_strength(void **state)
{
    struct pump *pump = &pumps.sides[1];
    (void)state;
    connect(NULL);
    pump_stream(0, 1, 0);
    pump_stream(1, 1, 0);
    pump_run_ms(10 * INTERVAL_MS);
    pump_tell(1, "01 1d04 02 0100");
    pump_run_ms(5 * INTERVAL_MS);
    assert_hex(pump->last_event, pump->last_length, "04 0c 08 00 0100 0d ffff 0100");
    pump_tell(1, "01 1620 02 0100");
    pump_run_ms(5 * INTERVAL_MS);
    assert_hex(pump->last_event, pump->last_length, "04 3e 0c 04 00 0100 7f59000000000000");
    assert_int_equal(pump->status, 0);
    pump_tell(1, "01 0514 02 0100");
    assert_hex(pump->last_event, pump->last_length, "04 0e 07 01 0514 00 0100 ce"); /* -50 dBm */
    pump_tell(1, "01 2d0c 03 0100 00");
    assert_hex(pump->last_event, pump->last_length, "04 0e 07 01 2d0c 00 0100 00");
    pump_tell(1, "01 3020 02 0100");
    assert_hex(pump->last_event, pump->last_length, "04 0e 08 01 3020 00 0100 01 01");
    pump_tell(1, "01 1520 02 0100");
    assert_hex(pump->last_event, pump->last_length, "04 0e 0b 01 1520 00 0100 ffffffff1f");
    pumps_end();
}

/* Vol 4 Part E 7.8.14 to 7.8.17, 7.8.33 to 7.8.35. */
static void a_list_that_is_full_has_room_again_when_one_has_left_it(void **state)
{
    struct pump *pump = &pumps.sides[1];
    char command[40];
    unsigned room = 0;
    (void)state;
    pumps_begin(2, NULL);
    pump_tell(1, "01 0f20 00");
    unsigned size = pump->last_event[7];
    do {
        (void)snprintf(command, sizeof command, "01 1120 07 00 %02x0203040506", room++);
        pump_tell(1, command);
    } while (pump->last_event[6] == 0 && room < 100);
    assert_int_equal(pump->last_event[6], YS_HCI_MEMORY_FULL);
    assert_int_equal(room, size + 1);
    pump_tell(1, "01 1220 07 00 010203040506");
    assert_hex(pump->last_event, pump->last_length, "04 0e 04 01 1220 00");
    pump_tell(1, "01 1120 07 00 ee0203040506");
    assert_hex(pump->last_event, pump->last_length, "04 0e 04 01 1120 00");
    pump_tell(1, "01 1120 07 00 ef0203040506");
    assert_hex(pump->last_event, pump->last_length, "04 0e 04 01 1120 07");
    pump_tell(1, "01 1220 07 00 ef0203040506"); /* who is not on it */
    assert_hex(pump->last_event, pump->last_length, "04 0e 04 01 1220 00");
    pump_tell(1, "01 1220 07 02 ee0203040506"); /* an address of no type */
    assert_hex(pump->last_event, pump->last_length, "04 0e 04 01 1220 12");
    pump_tell(1, "01 1020 00");
    pump_tell(1, "01 1120 07 00 ef0203040506");
    assert_hex(pump->last_event, pump->last_length, "04 0e 04 01 1120 00");
    pump_tell(1, "01 2420 04 2000 5001");
    pump_tell(1, "01 2320 00");
    assert_hex(pump->last_event, pump->last_length, "04 0e 08 01 2320 00 2000 5001");
    pumps_end();
}

/* Vol 6 Part B 5.1.4: who answers names what both have, and it does not matter who asks. */
static void features_that_are_told_are_those_of_both(void **state)
{
    (void)state;
    for (size_t asks = 0; asks < 2; asks++) {
        struct ys_controller_settings settings[2] = {{.seed = 1, .sets = 1, .buffer_count = 8},
                                                     {.seed = 1, .sets = 1, .buffer_count = 8}};
        settings[asks].lacks = YS_HCI_LE_FEATURE_DATA_LENGTH;
        settings[1 - asks].lacks = YS_HCI_LE_FEATURE_2M;
        connect(settings);
        pump_stream(0, 1, 0);
        pump_stream(1, 1, 0);
        pump_run_ms(10 * INTERVAL_MS);
        pump_tell(asks, "01 1620 02 0100");
        pump_run_ms(8 * INTERVAL_MS);
        assert_hex(pumps.sides[asks].last_event, pumps.sides[asks].last_length, "04 3e 0c 04 00 0100 5f58000000000000");
        pumps_end();
    }
}

/* Vol 6 Part B 5.1.8, 5.4; Vol 4 Part E 7.3.93, 7.3.94, 7.7.75. */
static void a_quiet_encrypted_link_is_pinged_before_its_timeout(void **state)
{
    (void)state;
    connect(NULL);
    pump_stream(0, 1, 0);
    pump_stream(1, 1, 0);
    pump_tell(1, PUMP_ENCRYPT);
    pump_run_ms(20 * INTERVAL_MS);
    assert_true(pumps.sides[1].encrypted);
    pumps.sides[1].last_length = 0;
    pump_tell(1, "01 7c0c 04 0100 6400"); /* 1 s */
    pumps.sides[1].last_length = 0;
    pump_run_ms(5000);
    assert_int_equal(pumps.sides[1].last_length, 0); /* it has not expired */
    ys_radio_jam(pumps.radio, ALL_CHANNELS);
    pump_run_ms(1100);
    assert_hex(pumps.sides[1].last_event, pumps.sides[1].last_length, "04 57 02 0100");
    pumps_end();
}

/* Vol 4 Part E 7.8.18, 7.8.33 to 7.8.35, 7.8.46, 7.8.47 to 7.8.49. */
static void wrong_commands_for_links_are_refused(void **state)
{
    static const struct {
        const char *command;
        const char *answer;
    } cases[] = {
        {"01 2220 06 0100 1a00 9042", "04 0e 06 01 2220 12 0100"}, /* 26 bytes */
        {"01 2220 06 0100 fc00 9042", "04 0e 06 01 2220 12 0100"}, /* 252 */
        {"01 2220 06 0700 fb00 9042", "04 0e 06 01 2220 02 0700"}, /* another connection */
        {"01 3220 07 0100 00 08 01 0000", "04 0f 04 12 01 3220"},  /* a PHY that there is not: unsupported */
        {"01 3220 07 0100 00 00 01 0000", "04 0f 04 12 01 3220"},  /* none */
        {"01 1320 0e 0100 0500 0800 0000 9001 0000 0000", "04 0f 04 12 01 1320"}, /* 6.25 ms */
        {"01 1320 0e 0100 5000 5000 0900 6400 0000 0000", "04 0f 04 12 01 1320"}, /* 1 s for ten events of 100 ms */
        {"01 1420 05 0000000000", "04 0e 04 01 1420 12"},
        {"01 1420 05 ffffffffff", "04 0e 04 01 1420 12"},
        {"01 2020 0e 0100 1800 1800 0000 9001 0000 0000", "04 0e 06 01 2020 0c 0100"}, /* nobody asked */
        {"01 7c0c 04 0100 0100", "04 0e 06 01 7c0c 12 0100"}, /* 10 ms, less than the interval */
    };
    (void)state;
    connect(NULL);
    pump_stream(0, 1, 0);
    pump_stream(1, 1, 0);
    pump_run_ms(10 * INTERVAL_MS);
    for (size_t i = 0; i < COUNT(cases); i++) {
        pump_tell(1, cases[i].command);
        if (i != 3)
            assert_hex(pumps.sides[1].last_event, pumps.sides[1].last_length, cases[i].answer);
        else
            assert_int_equal(pumps.sides[1].last_event[3], YS_HCI_UNSUPPORTED);
    }
    pumps_end();
}

/* One peripheral, four centrals: two stream, two only keep their connections; all the while it advertises. */
static void four_centrals_share_one_radio_and_nobody_starves(void **state)
{
    (void)state;
    pumps_begin(5, NULL);
    for (size_t i = 1; i < 5; i++)
        pumps_connect(i, 24, 0, 400);
    for (uint16_t handle = 1; handle <= 2; handle++)
        pump_stream(0, handle, 251);
    pump_run_ms(2000);
    uint64_t before[5];
    for (size_t i = 1; i < 5; i++)
        before[i] = pumps.sides[i].received[1];
    pump_run_ms(20000);
    for (size_t i = 0; i < 5; i++) {
        assert_int_equal(pumps.sides[i].disconnections, 0);
        assert_int_equal(pumps.sides[i].out_of_order, 0);
    }
    double one = (double)(pumps.sides[1].received[1] - before[1]);
    double two = (double)(pumps.sides[2].received[1] - before[2]);
    assert_true(one > 0.2 * (one + two) && two > 0.2 * (one + two));
    for (uint16_t handle = 3; handle <= 4; handle++)
        pump_stream(0, handle, 20);
    pump_run_ms(10000);
    assert_true(pumps.sides[3].received[1] > 100 && pumps.sides[4].received[1] > 100);
    pumps_end();
}

/* Two centrals of one device, with events at every distance from each other: both get their share of long packets. */
static void two_links_share_one_radio_wherever_their_events_lie(void **state)
{
    bool good = true;
    (void)state;
    for (uint64_t offset_us = 0; offset_us < 12000; offset_us += step(170)) {
        pumps_begin(3, NULL);
        pumps_connect(1, 12, 0, 400); /* 15 ms */
        pumps_connect(2, 12, 0, 400);
        for (size_t i = 0; i < 3; i++) {
            pump_tell(i, "01 2220 06 0100 fb00 9042");
            pump_tell(i, "01 2220 06 0200 fb00 9042");
        }
        /* the second central's events are moved to where they are to be: both ends of its link alike */
        pump_run_ms(300);
        struct link *one = link_find(pumps.sides[0].controller, 2);
        struct link *other = link_find(pumps.sides[2].controller, 1);
        uint64_t first_ns = link_find(pumps.sides[0].controller, 1)->anchor_ns;
        uint64_t moved_ns = first_ns + offset_us * 1000 + 15000000 - one->anchor_ns;
        one->anchor_ns += moved_ns;
        other->anchor_ns += moved_ns;
        one->synced_ns = one->anchor_ns;
        ys_clock_set(pumps.clock, &one->event, ys_timer_at_ns(&one->event) + moved_ns);
        ys_clock_set(pumps.clock, &other->event, ys_timer_at_ns(&other->event) + moved_ns);
        for (uint16_t handle = 1; handle <= 2; handle++)
            pump_stream(0, handle, 251);
        pump_run_ms(1000);
        uint64_t before[2] = {pumps.sides[1].received[1], pumps.sides[2].received[1]};
        pump_run_ms(2000);
        uint64_t frames[2] = {pumps.sides[1].received[1] - before[0], pumps.sides[2].received[1] - before[1]};
        if (frames[0] < 60 || frames[1] < 60 || pumps.sides[0].disconnections > 0) {
            (void)printf("%llu us apart: %llu and %llu frames\n", (unsigned long long)offset_us,
                         (unsigned long long)frames[0], (unsigned long long)frames[1]);
            good = false;
        }
        pumps_end();
    }
    assert_true(good);
}

/* A radio does one thing at a time: what is advertised during an event of a connection is missed by its sides. */
static void who_is_in_an_event_of_its_connection_hears_no_advertisement(void **state)
{
    uint32_t heard[2];
    (void)state;
    for (size_t busy = 0; busy < 2; busy++) {
        pumps_begin(3, NULL);
        pumps_connect(1, 24, 0, 400); /* 30 ms */
        pump_run_ms(300);
        if (busy) /* events are as long as they can be */
            pump_stream(0, 1, 251);
        pump_tell(2, "01 0620 0f 2000 2000 03 00 00 000000000000 01 00"); /* every 20 ms, on 37 alone */
        pump_tell(2, "01 0a20 01 01");
        pump_tell(1, "01 0b20 07 00 0008 0008 00 00");
        pump_tell(1, "01 0c20 02 01 00");
        pump_run_ms(2000);
        uint64_t received = pumps.sides[1].received[1];
        uint32_t before = pumps.sides[1].reports;
        pump_run_ms(30000);
        heard[busy] = pumps.sides[1].reports - before;
        assert_true(!busy || pumps.sides[1].received[1] - received > 1000); /* the connection comes first */
        assert_int_equal(pumps.sides[1].disconnections, 0);
        pumps_end();
    }
    print_message("%u advertisements were heard beside a quiet connection, %u beside a busy one\n", heard[0], heard[1]);
    assert_in_range(heard[0], 350, 450); /* a third of the time on 37: of 1,200 */
    assert_true(heard[1] < heard[0] / 4);
}

/* Vol 6 Part B 4.5.6. */
static void an_event_is_no_longer_than_either_side_lets_it_be(void **state)
{
    struct ys_controller_settings settings[2] = {{.seed = 1, .buffer_count = 8}, {.seed = 1, .buffer_count = 8}};
    uint64_t frames[3];
    (void)state;
    for (size_t limited = 0; limited < 3; limited++) {
        settings[0].event_length_us = limited == 1 ? 5000 : 0;
        settings[1].event_length_us = limited == 2 ? 5000 : 0;
        pumps_begin(2, settings);
        pumps_connect(1, 24, 0, 400);
        pump_stream(0, 1, 27);
        pump_run_ms(3000);
        frames[limited] = pumps.sides[1].received[1];
        pumps_end();
    }
    assert_in_range(frames[0], 4300, 4500); /* 44 exchanges of 676 us in each 30 ms */
    assert_in_range(frames[1], 690, 710);   /* 7 in 5 ms */
    assert_in_range(frames[2], 690, 710);
}

/* Vol 6 Part B 4.5.10, 5.1.1, 5.1.10: a packet that waits for its acknowledgement while slower PHYs or a shorter
 * interval are agreed may be sent again under them, whatever is lost. */
static void what_is_in_flight_is_sent_again_under_new_phys_and_intervals(void **state)
{
    static const struct {
        const char *name;
        uint16_t interval;  /* at first */
        const char *before; /* what both ends want first, of PHYs */
        const char *change;
        bool by_peripheral;
        uint8_t send_phy; /* of who asks, in the end */
    } cases[] = {
        {"2M to S=8", 12, "06 06 0200", "01 3220 07 0100 00 04 04 0200", false, 3},
        {"2M to S=8, asked by the peripheral", 12, "06 06 0200", "01 3220 07 0100 00 04 04 0200", true, 3},
        {"1M to S=2 one way", 6, "05 05 0100", "01 3220 07 0100 00 04 01 0100", false, 3},
        {"30 to 7.5 ms on S=8", 24, "04 04 0200", "01 1320 0e 0100 0600 0600 0000 9001 0000 0000", false, 3},
        {"30 to 7.5 ms on S=8, asked by the peripheral", 24, "04 04 0200",
         "01 1320 0e 0100 0600 0600 0000 9001 0000 0000", true, 3},
    };
    unsigned seeds = getenv("YARNSWIFT_EVERY_LINK") != NULL ? 200 : 30;
    unsigned dead = 0;
    double shares[40];
    (void)state;
    for (size_t i = 0; i < 40; i++)
        shares[i] = 0.05;
    for (size_t i = 0; i < COUNT(cases); i++) {
        for (unsigned seed = 1; seed <= seeds; seed++) {
            char phys[60];
            pumps_begin(2, NULL);
            pumps_connect(1, cases[i].interval, 0, 400);
            (void)snprintf(phys, sizeof phys, "01 3220 07 0100 00 %s", cases[i].before);
            for (size_t side = 0; side < 2; side++) {
                pump_tell(side, "01 2220 06 0100 fb00 9042");
                pump_tell(side, phys);
                pump_run_ms(400);
            }
            pump_stream(0, 1, 251);
            pump_stream(1, 1, 251);
            ys_radio_lose(pumps.radio, shares, seed);
            pump_run_ms(300);
            pump_tell(!cases[i].by_peripheral, cases[i].change);
            pump_run_ms(6000);
            const struct pump *asks = &pumps.sides[!cases[i].by_peripheral];
            assert_true(asks->disconnections > 0 || asks->send_phy == cases[i].send_phy);
            uint64_t before[2] = {pumps.sides[0].received[1], pumps.sides[1].received[1]};
            pump_run_ms(2000);
            bool flows = pumps.sides[0].received[1] > before[0] && pumps.sides[1].received[1] > before[1] &&
                         pumps.sides[0].out_of_order + pumps.sides[1].out_of_order == 0;
            if (!flows || pumps.sides[0].disconnections > 0)
                (void)printf("%s, seed %u: reason 0x%02x, %llu and %llu frames\n", cases[i].name, seed,
                             pumps.sides[0].reason, (unsigned long long)(pumps.sides[0].received[1] - before[0]),
                             (unsigned long long)(pumps.sides[1].received[1] - before[1]));
            dead += !flows || pumps.sides[0].disconnections > 0;
            pumps_end();
        }
    }
    assert_int_equal(dead, 0);
}

/* Vol 6 Part B 4.5.2: at the timeout, not at the event after it. */
static void silence_is_noticed_when_the_timeout_is_over(void **state)
{
    (void)state;
    for (unsigned which = 0; which < 2; which++) {
        pumps_begin(2, NULL);
        pumps_connect(1, 800, 0, 250); /* 1 s, and 2.5 s */
        pump_run_ms(5000);
        const struct link *links[2] = {link_find(pumps.sides[0].controller, 1),
                                       link_find(pumps.sides[1].controller, 1)};
        ys_radio_jam(pumps.radio, ALL_CHANNELS);
        uint64_t silent_ns = links[which]->last_heard_ns;
        while (pumps.sides[which].disconnections == 0)
            pump_run_ms(1);
        assert_in_range(ys_clock_now_ns(pumps.clock) - silent_ns, 2500 * YS_NS_PER_MS, 2501 * YS_NS_PER_MS);
        pumps_end();
    }
}

/* Vol 6 Part B 1.4.1, 4.5.8.1; Vol 4 Part E 7.8.19: the host may know of one good channel only. */
static void a_connection_has_two_channels_at_least(void **state)
{
    (void)state;
    for (unsigned before = 0; before < 2; before++) {
        pumps_begin(2, NULL);
        if (before)
            pump_tell(1, "01 1420 05 0000000010");
        pumps_connect(1, 16, 0, 400);
        if (!before)
            pump_tell(1, "01 1420 05 0000000010");
        pump_stream(0, 1, 27);
        pump_run_ms(3000);
        assert_hex(link_find(pumps.sides[0].controller, 1)->parameters.channel_map, 5, "0100000010");
        assert_int_equal(pumps.sides[1].disconnections, 0);
        assert_true(pumps.sides[1].received[1] > 100);
        pumps_end();
    }
}

/* Vol 6 Part B 5.1.1, 5.1.2, 5.1.10: six events that the peripheral listens in. */
static void an_instant_leaves_a_peripheral_that_rests_six_chances(void **state)
{
    (void)state;
    for (size_t a = 0; a < KINDS; a++) {
        pumps_begin(2, NULL);
        pumps_connect(1, 8, 9, 400);
        pump_run_ms(500);
        const struct link *link = link_find(pumps.sides[1].controller, 1);
        begin(1, &all[a]);
        for (int i = 0; i < 300 && !link->procedures.has_pending; i++)
            pump_run_ms(1);
        if (link->procedures.has_pending)
            assert_in_range(link->procedures.pending.instant - link->counter, 59, 60);
        else
            assert_false(all[a].command != NULL &&
                         (strstr(all[a].command, "01 13") != NULL || strstr(all[a].command, "01 14") != NULL ||
                          strstr(all[a].command, "01 32") != NULL));
        pump_run_ms(3000);
        assert_int_equal(pumps.sides[1].disconnections, 0);
        pumps_end();
    }
}

/* Vol 6 Part B 4.5.1, 4.5.6: an event that ends with "more" is followed by one that is attended. */
static void a_peripheral_that_was_told_of_more_does_not_rest(void **state)
{
    struct ys_controller_settings settings[2] = {{.seed = 1, .buffer_count = 8},
                                                 {.seed = 1, .buffer_count = 8, .event_length_us = 1250}};
    (void)state;
    pumps_begin(2, settings);
    pumps_connect(1, 16, 9, 400); /* 20 ms */
    pump_run_ms(1000);
    pump_stream(1, 1, 200); /* eight packets to a frame, each of which says that there is more */
    pump_run_ms(8000);
    assert_in_range(pumps.sides[0].received[1], 95, 100); /* two packets to an event */
    pumps_end();
}

/* Vol 6 Part B 4.5.6: however short events are, one exchange goes, and so does the end. */
static void one_exchange_goes_in_the_shortest_event(void **state)
{
    struct ys_controller_settings settings[2] = {{.seed = 1, .buffer_count = 8, .event_length_us = 1},
                                                 {.seed = 1, .buffer_count = 8, .event_length_us = 1}};
    (void)state;
    for (size_t side = 0; side < 2; side++) {
        pumps_begin(2, settings);
        pumps_connect(1, 16, 0, 400); /* 20 ms */
        for (size_t i = 0; i < 2; i++) {
            pump_tell(i, "01 2220 06 0100 fb00 9042");
            pump_run_ms(500);
        }
        pump_stream(side, 1, 251);
        pump_run_ms(4000);
        assert_in_range(pumps.sides[1 - side].received[1], 197, 200);
        pump_tell(side, "01 0604 03 0100 13");
        pump_run_ms(100);
        assert_int_equal(pumps.sides[0].disconnections + pumps.sides[1].disconnections, 2);
        assert_int_equal(pumps.sides[1 - side].reason, 0x13);
        pumps_end();
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(any_two_procedures_of_the_two_sides_get_along),
        cmocka_unit_test(a_central_refuses_what_collides_with_its_own),
        cmocka_unit_test(any_two_procedures_of_one_side_follow_each_other),
        cmocka_unit_test(what_the_other_side_does_not_know_comes_to_nothing_and_no_harm),
        cmocka_unit_test(parameters_that_the_central_refuses_leave_the_link_as_it_was),
        cmocka_unit_test(a_host_may_answer_late),
        cmocka_unit_test(what_is_never_answered_ends_the_link_after_40_s),
        cmocka_unit_test(a_procedure_survives_silence_at_any_moment),
        cmocka_unit_test(a_link_that_dies_in_a_procedure_is_over_for_both_and_may_begin_anew),
        cmocka_unit_test(an_instant_that_has_passed_ends_the_link),
        cmocka_unit_test(a_map_holds_from_its_instant_on_and_other_channels_stay_empty),
        cmocka_unit_test(a_central_that_adapts_leaves_bad_channels_out),
        cmocka_unit_test(clocks_that_are_as_far_off_as_they_promise_keep_the_link),
        cmocka_unit_test(a_clock_that_breaks_its_promise_loses_the_link),
        cmocka_unit_test(a_peripheral_with_nothing_to_say_rests_and_is_there_when_it_has),
        cmocka_unit_test(the_host_hears_of_version_features_power_and_strength),
        cmocka_unit_test(a_list_that_is_full_has_room_again_when_one_has_left_it),
        cmocka_unit_test(features_that_are_told_are_those_of_both),
        cmocka_unit_test(a_quiet_encrypted_link_is_pinged_before_its_timeout),
        cmocka_unit_test(wrong_commands_for_links_are_refused),
        cmocka_unit_test(four_centrals_share_one_radio_and_nobody_starves),
        cmocka_unit_test(two_links_share_one_radio_wherever_their_events_lie),
        cmocka_unit_test(who_is_in_an_event_of_its_connection_hears_no_advertisement),
        cmocka_unit_test(an_event_is_no_longer_than_either_side_lets_it_be),
        cmocka_unit_test(what_is_in_flight_is_sent_again_under_new_phys_and_intervals),
        cmocka_unit_test(silence_is_noticed_when_the_timeout_is_over),
        cmocka_unit_test(a_connection_has_two_channels_at_least),
        cmocka_unit_test(an_instant_leaves_a_peripheral_that_rests_six_chances),
        cmocka_unit_test(a_peripheral_that_was_told_of_more_does_not_rest),
        cmocka_unit_test(one_exchange_goes_in_the_shortest_event),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
