/* What devices draw: the formula, and the time that their radios are on, against calculations of their own. */
#include "support/check.h"

#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "measure/charge.h"
#include "sim/controller.h"
#include "support/pump.h"
#include "support/run.h"
#include "world/activity.h"

static void charge_is_the_sum_of_its_parts(void **state)
{
    const struct ys_energy energy = {.standby_ua = 2,
                                     .wake = {400, 1},
                                     .prepare = {300, 2},
                                     .ramp = {100, 4},
                                     .finish = {200, 3},
                                     .transmit = {{-20, 3}, {0, 5}, {4, 8}},
                                     .levels = 3,
                                     .turn_ma = 4,
                                     .receive_ma = 6,
                                     .wake_up_uc = 0.5};
    const struct ys_activity activity = {.seconds = 10,
                                         .events = 100,
                                         .transmit_s = {0.1, 0.05},
                                         .power_dbm = {0, 2},
                                         .turn_s = 0.01,
                                         .receive_s = 0.02};
    (void)state;
    assert_true(fabs(ys_event_uc(&energy) - (0.5 + 0.4 + 0.6 + 0.4 + 0.6)) < 1e-12);
    assert_true(fabs(ys_transmit_ma(&energy, -10) - 4) < 1e-12);
    assert_true(fabs(ys_transmit_ma(&energy, -40) - 3) < 1e-12);
    assert_true(fabs(ys_transmit_ma(&energy, 20) - 8) < 1e-12);
    double uc = 2 * 10 + 100 * 2.5 + 1000 * (0.1 * 5 + 0.05 * 6.5 + 0.01 * 4 + 0.02 * 6);
    assert_true(fabs(ys_charge_mean_ua(&energy, &activity) - uc / 10) < 1e-9);
}

/* Hour by hour. */
static double days_by_hand(double mah, double usable, double lost_a_year, double ua)
{
    double left_uah = 1000 * mah;
    double end_uah = left_uah * (1 - usable);
    double share = 1 - pow(1 - lost_a_year, 1 / 8766.0);
    unsigned hours = 0;
    for (; left_uah > end_uah; hours++)
        left_uah -= ua + share * left_uah;
    return hours / 24.0;
}

static void a_battery_lasts_until_its_cut_off_and_loses_some_by_itself(void **state)
{
    struct ys_energy energy = {.battery_mah = 230};
    (void)state;
    assert_true(fabs(ys_charge_days(&energy, 100) - 2300 / 24.0) < 1e-9);
    assert_true(ys_charge_days(&energy, 0) <= 0);
    energy.full_v = 3;
    energy.empty_v = 2;
    energy.cut_off_v = 2.2;
    assert_true(fabs(ys_battery_usable(&energy) - 0.8) < 1e-12);
    assert_true(fabs(ys_charge_days(&energy, 100) - 0.8 * 2300 / 24.0) < 1e-9);
    for (int percent = 1; percent <= 30; percent += 10) {
        energy.self_discharge = percent / 100.0;
        double expected = days_by_hand(230, 0.8, percent / 100.0, 8);
        assert_true(fabs(ys_charge_days(&energy, 8) / expected - 1) < 0.001);
    }
}

static struct ys_activity activity_of(size_t side, const struct ys_radio_use *before)
{
    struct ys_activity activity = {.events = 0};
    ys_activity_add(&activity, before, ys_controller_use(pumps.sides[side].controller));
    return activity;
}

/* Vol 6 Part B 4.5.1, 4.5.7: only events that are attended cost anything, with the widening of the windows: an empty
 * packet each way, 80 us on 1M, 150 us apart. */
static void a_quiet_connection_costs_what_its_attended_events_do(void **state)
{
    static const struct {
        uint16_t interval;
        uint16_t latency;
    } cases[] = {{80, 0}, {80, 30}, {24, 0}, {800, 1}};
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        pumps_begin(2, NULL);
        pumps_connect(1, cases[i].interval, cases[i].latency, 3200);
        pump_run_ms(20000);
        struct ys_radio_use before = *ys_controller_use(pumps.sides[0].controller);
        pump_run_ms(310000);
        struct ys_activity activity = activity_of(0, &before);
        double apart_us = 1250.0 * cases[i].interval * (1 + cases[i].latency);
        double events = 310e6 / apart_us;
        double widening_us = 16 + apart_us * 100e-6; /* two clocks of 50 ppm */
        double receive_s = events * (widening_us + 80) * 1e-6;
        assert_true(fabs((double)activity.events - events) <= 1);
        assert_true(fabs(activity.transmit_s[0] - events * 80e-6) <= 80e-6);
        assert_true(fabs(activity.turn_s - events * 150e-6) <= 150e-6);
        if (fabs(activity.receive_s / receive_s - 1) > 0.01)
            (void)printf("case %zu: %f s of %f\n", i, activity.receive_s, receive_s);
        assert_true(fabs(activity.receive_s / receive_s - 1) <= 0.01);
        pumps_end();
    }
}

/* Vol 6 Part B 4.4.2: a beacon only sends; who can be asked listens after each packet, until an answer would have
 * begun. */
static void advertising_costs_its_packets_and_what_is_listened_for(void **state)
{
    (void)state;
    for (int connectable = 0; connectable < 2; connectable++) {
        pumps_begin(1, NULL);
        pump_tell(0, connectable ? "01 0620 0f a000 a000 00 00 00 000000000000 07 00"
                                 : "01 0620 0f a000 a000 03 00 00 000000000000 07 00"); /* 100 ms */
        pump_tell(0, "01 0a20 01 01");
        pump_run_ms(105000);
        struct ys_activity activity = activity_of(0, NULL);
        double packet_s = (1 + 4 + 2 + 6 + 3) * 8e-6;
        assert_in_range(activity.events, 990, 1010);
        double events = (double)activity.events;
        assert_true(fabs(activity.transmit_s[0] / (3 * events * packet_s) - 1) < 0.002);
        if (connectable) /* 134 us to turn round each time, and 16 before and after the time of an answer, 40 of its
                            beginning */
            assert_in_range((uint64_t)(activity.receive_s * 1e9 / events / 3), 16000, 80000);
        else
            assert_true(activity.receive_s <= 0);
        pumps_end();
    }
}

/* A scanner listens in its windows, and costs that. */
static void scanning_costs_its_windows(void **state)
{
    (void)state;
    pumps_begin(1, NULL);
    pump_tell(0, "01 0b20 07 00 a000 1000 00 00"); /* 10 ms of 100 ms */
    pump_tell(0, "01 0c20 02 01 00");
    pump_run_ms(100000);
    struct ys_activity activity = activity_of(0, NULL);
    assert_in_range(activity.events, 999, 1001);
    assert_true(activity.receive_s > 9.99 &&
                activity.receive_s < 10.05); /* and 40 us, to know that nothing has begun */
    pumps_end();
}

/* The same figures in a scene, where a whole day would be told like this. */
static void a_scene_tells_what_its_devices_draw(void **state)
{
    char text[1200];
    char line[700];
    double ua[2];
    (void)state;
    for (int latency = 0; latency < 2; latency++) {
        (void)snprintf(text, sizeof text,
                       "scene: A quiet hour\ndevices:\n  - name: wrench\n    definition: " YARNSWIFT_ROOT
                       "/examples/torque_wrench/torque_wrench.device.yaml\n    firmware: torque_wrench\n"
                       "centrals:\n  - {name: tablet, interval: 100 ms, latency: %d, supervision timeout: 20 s, "
                       "refuses updates: true}\n"
                       "steps: [{connect: wrench}, {wait: 10 min}]\n",
                       latency * 30);
        (void)snprintf(line, sizeof line, "rehearse --json '%s'", scratch_file("charge_one.scene.yaml", text));
        struct outcome outcome = run_command(line);
        assert_int_equal(outcome.status, 0);
        const char *at = strstr(outcome.out, "\"mean_current_ua\":");
        assert_non_null(at);
        ua[latency] = strtod(at + 18, NULL);
    }
    print_message("%.1f uA with latency 0, %.1f uA with 30\n", ua[0], ua[1]);
    /* ten events a second, or one in 3.1 s: each 3.5 uC, 80 us of sending, 150 of turning round, and about 110 of
     * listening */
    assert_in_range((uint64_t)(ua[0] - ua[1]), 45, 55);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(charge_is_the_sum_of_its_parts),
        cmocka_unit_test(a_battery_lasts_until_its_cut_off_and_loses_some_by_itself),
        cmocka_unit_test(a_quiet_connection_costs_what_its_attended_events_do),
        cmocka_unit_test(advertising_costs_its_packets_and_what_is_listened_for),
        cmocka_unit_test(scanning_costs_its_windows),
        cmocka_unit_test(a_scene_tells_what_its_devices_draw),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
