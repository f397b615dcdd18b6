/* What a saturated link carries, against what it can carry by calculation. */
#include "support/check.h"

#include <math.h>
#include <stdio.h>
#include <stdlib.h>

#include "support/pump.h"

static const uint8_t lengths[] = {27, 69, 123, 251};
static const uint16_t mtus[] = {23, 65, 185, 247, 512};
static const uint32_t intervals_us[] = {7500, 15000, 30000, 50000, 100000, 400000};

static struct ys_link_shape shape_of(enum ys_phy phy, uint8_t length, uint16_t mtu, uint32_t interval_us,
                                     bool encrypted)
{
    return (struct ys_link_shape){
        .data_phy = phy,
        .answer_phy = phy,
        .interval_us = interval_us,
        .packet_length = length,
        .encrypted = encrypted,
        .value_bytes = (uint16_t)(mtu - 3),
        .frame_bytes = ys_link_att_frame((uint16_t)(mtu - 3)),
    };
}

static void connect(const struct ys_link_shape *shape)
{
    struct ys_controller_settings settings = {
        .seed = 1, .sets = 1, .buffer_count = 8, .event_length_us = shape->event_length_us};
    pumps_begin(2, (struct ys_controller_settings[]){settings, settings});
    pumps_connect(1, (uint16_t)(shape->interval_us / 1250), 0, 3200);
    pumps_shape(shape);
}

/* Bits of value a second, counted over whole intervals once the stream is under way. */
static double stream_bps(const struct ys_link_shape *shape, uint64_t intervals)
{
    size_t from = shape->by_central ? 1 : 0;
    pump_stream(from, 1, shape->frame_bytes);
    pump_run_ms(10 * (uint64_t)shape->interval_us / 1000);
    const uint64_t *received = &pumps.sides[1 - from].received[1];
    uint64_t before = *received;
    uint64_t for_ns = intervals * shape->interval_us * 1000;
    ys_clock_run(pumps.clock, ys_clock_now_ns(pumps.clock) + for_ns);
    assert_int_equal(pumps.sides[1 - from].out_of_order, 0);
    return (double)(*received - before) * shape->value_bytes * 8 / ((double)for_ns / 1e9);
}

/* A frame more or less at the ends of the time that is counted. */
static double one_frame(const struct ys_link_shape *shape, uint64_t intervals)
{
    return shape->value_bytes * 8 / ((double)intervals * shape->interval_us / 1e6);
}

static void check(const struct ys_link_shape *shape)
{
    uint64_t intervals = 4000000 / shape->interval_us + 4;
    struct ys_link_limit limit;
    ys_link_limit(shape, &limit);
    connect(shape);
    double bps = stream_bps(shape, intervals);
    double slack = one_frame(shape, intervals);
    if (bps + slack < 0.99 * limit.goodput_bps || bps > limit.goodput_bps + slack) {
        (void)printf("phy %d, packets of %d, frames of %d, every %u us, %s, by the %s: %.0f bit/s of %.0f\n",
                     shape->data_phy, shape->packet_length, shape->frame_bytes, shape->interval_us,
                     shape->encrypted ? "encrypted" : "open", shape->by_central ? "central" : "peripheral", bps,
                     limit.goodput_bps);
        fail();
    }
    pumps_end();
}

/* Vol 6 Part B 4.5.10. */
static void a_saturated_link_carries_what_it_can(void **state)
{
    bool all = getenv("YARNSWIFT_EVERY_LINK") != NULL;
    unsigned number = 0;
    (void)state;
    for (int phy = YS_PHY_1M; phy <= YS_PHY_CODED_S2; phy++)
        for (size_t length = 0; length < COUNT(lengths); length++)
            for (size_t mtu = 0; mtu < COUNT(mtus); mtu++)
                for (size_t interval = 0; interval < COUNT(intervals_us); interval++)
                    for (int kind = 0; kind < 4; kind++) {
                        if (number++ % 23 != 0 && !all)
                            continue;
                        struct ys_link_shape shape = shape_of((enum ys_phy)phy, lengths[length], mtus[mtu],
                                                              intervals_us[interval], (kind & 1) != 0);
                        shape.by_central = (kind & 2) != 0;
                        check(&shape);
                    }
}

/* Vol 6 Part B 4.5.6: one exchange goes, however short events are. */
static void short_events_carry_what_fits_and_one_packet_at_least(void **state)
{
    static const uint32_t lengths_us[] = {1250, 2500, 4000, 10000};
    (void)state;
    for (size_t i = 0; i < COUNT(lengths_us); i++) {
        for (int kind = 0; kind < 6; kind++) {
            struct ys_link_shape shape = shape_of(kind / 2 == 0   ? YS_PHY_1M
                                                  : kind / 2 == 1 ? YS_PHY_2M
                                                                  : YS_PHY_CODED_S8,
                                                  kind / 2 == 1 ? 251 : 27, 185, 30000, kind == 3);
            shape.by_central = kind % 2 == 1;
            shape.event_length_us = lengths_us[i];
            check(&shape);
        }
    }
}

static void the_limit_is_that_of_the_worked_examples(void **state)
{
    struct ys_link_shape shape = shape_of(YS_PHY_2M, 251, 247, 400000, false);
    struct ys_link_limit limit;
    (void)state;
    ys_link_limit(&shape, &limit);
    assert_int_equal(limit.exchange_ns, 1392000);
    assert_true(limit.goodput_bps > 1.39e6 && limit.goodput_bps < 1.403e6);
    shape.data_phy = shape.answer_phy = YS_PHY_1M;
    ys_link_limit(&shape, &limit);
    assert_int_equal(limit.exchange_ns, 2500000 - 32000);
    assert_true(limit.goodput_bps > 0.785e6 && limit.goodput_bps < 0.792e6);
    /* 27 bytes of 1M: 80 + 150 + 296 + 150 us; 11 of them in 7.5 ms less 150 us */
    shape = shape_of(YS_PHY_1M, 27, 23, 7500, false);
    ys_link_limit(&shape, &limit);
    assert_int_equal(limit.exchange_ns, 676000);
    assert_true(fabs(limit.exchanges - 11) < 1e-9);
    assert_true(fabs(limit.goodput_bps - 11 * 20 * 8 / 0.0075) < 1e-6);
}

static void what_is_confirmed_goes_once_an_interval(void **state)
{
    struct ys_link_shape shape = shape_of(YS_PHY_1M, 27, 23, 30000, false);
    struct ys_link_limit limit;
    (void)state;
    shape.confirmed = true;
    ys_link_limit(&shape, &limit);
    assert_true(fabs(limit.frames_hz - 1000.0 / 30) < 1e-9);
}

/* The mean and its standard error over several seeds must agree with the expectation. */
static void check_loss(struct ys_link_shape shape, double loss)
{
    enum { SEEDS = 12 };
    double shares[40];
    double sum = 0;
    double squares = 0;
    struct ys_link_limit limit;
    shape.loss = loss;
    ys_link_limit(&shape, &limit);
    for (int i = 0; i < 40; i++)
        shares[i] = loss;
    for (uint64_t seed = 1; seed <= SEEDS; seed++) {
        connect(&shape);
        ys_radio_lose(pumps.radio, shares, seed);
        double bps = stream_bps(&shape, 4000000 / shape.interval_us);
        sum += bps;
        squares += bps * bps;
        pumps_end();
    }
    double mean = sum / SEEDS;
    double error = sqrt((squares / SEEDS - mean * mean) / (SEEDS - 1));
    if (fabs(mean - limit.goodput_bps) > 3.5 * error + 1e-3 * limit.goodput_bps) {
        (void)printf("loss %.3f, every %u us, by the %s: %.0f bit/s +- %.0f, expected %.0f\n", loss, shape.interval_us,
                     shape.by_central ? "central" : "peripheral", mean, error, limit.goodput_bps);
        fail();
    }
}

/* Vol 6 Part B 4.5.6. */
static void with_loss_it_carries_what_is_expected(void **state)
{
    static const double losses[] = {0.01, 0.05, 0.2, 0.5};
    (void)state;
    for (size_t i = 0; i < COUNT(losses); i++) {
        struct ys_link_shape shape = shape_of(YS_PHY_2M, 251, 247, 30000, false);
        check_loss(shape, losses[i]);
        shape.by_central = true;
        check_loss(shape, losses[i]);
        check_loss(shape_of(YS_PHY_1M, 27, 23, 7500, true), losses[i]);
        check_loss(shape_of(YS_PHY_1M, 251, 247, 100000, false), losses[i]);
    }
}

static int ascending(const void *one, const void *other)
{
    double a = *(const double *)one;
    double b = *(const double *)other;
    return a < b ? -1 : a > b;
}

/* A single frame each time, at any time between two events. */
static void a_single_value_takes_as_long_as_is_expected(void **state)
{
    enum { TIMES = 400 };
    (void)state;
    for (int i = 0; i < 4; i++) {
        struct ys_link_shape shape = shape_of(i < 2 ? YS_PHY_1M : YS_PHY_2M, i % 2 == 0 ? 27 : 251, 185, 30000, i >= 2);
        struct ys_link_latency expected;
        double took_ms[TIMES];
        connect(&shape);
        ys_link_expect_latency(&shape, 0, &expected);
        for (size_t time = 0; time < TIMES; time++) {
            uint64_t begin_ns = ys_clock_now_ns(pumps.clock) + 200 * YS_NS_PER_MS + time * 7919 % 3000 * 10000;
            ys_clock_run(pumps.clock, begin_ns);
            uint64_t before = pumps.sides[1].received[1];
            pump_stream(0, 1, shape.frame_bytes);
            ys_clock_run(pumps.clock, begin_ns); /* it has been handed over */
            pump_stream(0, 1, 0);
            while (pumps.sides[1].received[1] == before && ys_clock_step(pumps.clock, begin_ns + YS_NS_PER_S)) {
            }
            took_ms[time] = (double)(ys_clock_now_ns(pumps.clock) - begin_ns) / 1e6;
        }
        qsort(took_ms, TIMES, sizeof took_ms[0], ascending);
        assert_true(took_ms[TIMES - 1] <= expected.max_ms && took_ms[TIMES - 1] > 0.97 * expected.max_ms);
        assert_true(fabs(took_ms[TIMES / 2] - expected.median_ms) < 1.5);
        assert_true(fabs(took_ms[TIMES * 95 / 100] - expected.p95_ms) < 1.5);
        pumps_end();
    }
}

static void a_link_budget_is_what_distance_leaves(void **state)
{
    const struct ys_link_budget budget = {
        .power_dbm = 4, .loss_at_1m_db = 40, .exponent = 2, .distance_m = 100, .sensitivity_dbm = -94};
    (void)state;
    assert_true(fabs(ys_link_strength_dbm(&budget) + 76) < 1e-9);
    assert_true(fabs(ys_link_margin_db(&budget) - 18) < 1e-9);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(short_events_carry_what_fits_and_one_packet_at_least),
        cmocka_unit_test(the_limit_is_that_of_the_worked_examples),
        cmocka_unit_test(what_is_confirmed_goes_once_an_interval),
        cmocka_unit_test(a_saturated_link_carries_what_it_can),
        cmocka_unit_test(with_loss_it_carries_what_is_expected),
        cmocka_unit_test(a_single_value_takes_as_long_as_is_expected),
        cmocka_unit_test(a_link_budget_is_what_distance_leaves),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
