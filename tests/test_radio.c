/* The air with a model: losses, sensitivity, capture, interferers; and a crowd against the textbook. */
#include "support/check.h"

#include <math.h>
#include <stdlib.h>
#include <string.h>

#include "sim/chance.h"
#include "sim/controller.h"
#include "sim/radio.h"

#define CHANNEL 37
#define ADDRESS 0x8e89bed6u

struct ear {
    struct ys_receiver receiver;
    size_t good;
    size_t spoiled;
    struct ys_air_packet last;
};

static struct ys_clock *the_clock;
static struct ys_radio *radio;

static const struct ys_air_model plain = {
    .loss_at_1m_db = 40,
    .exponent = 2,
    .capture_db = 8,
    .sensitivity_dbm = {-95, -92, -103, -98},
};

static int setup(void **state)
{
    (void)state;
    the_clock = ys_clock_new();
    radio = ys_radio_new(the_clock);
    assert_true(ys_radio_set_model(radio, &plain));
    return 0;
}

static int teardown(void **state)
{
    (void)state;
    ys_radio_free(radio);
    ys_clock_free(the_clock);
    return 0;
}

static void hear(void *context, const struct ys_air_packet *packet)
{
    struct ear *ear = context;
    ear->last = *packet;
    if (packet->crc_good)
        ear->good++;
    else
        ear->spoiled++;
}

static void listen(struct ear *ear, uint16_t owner, enum ys_phy phy)
{
    *ear = (struct ear){.receiver = {.receive = hear, .context = ear, .owner = owner}};
    ys_radio_listen(radio, &ear->receiver, CHANNEL, phy, ADDRESS);
}

static void send_as(uint32_t sender, enum ys_phy phy, int8_t power_dbm)
{
    static const uint8_t pdu[39];
    (void)ys_radio_send(radio, &(struct ys_sending){.channel = CHANNEL,
                                                    .phy = phy,
                                                    .access_address = ADDRESS,
                                                    .sender = sender,
                                                    .power_dbm = power_dbm,
                                                    .pdu = pdu,
                                                    .length = sizeof pdu});
}

static void pass_us(uint64_t us)
{
    ys_clock_run(the_clock, ys_clock_now_ns(the_clock) + us * YS_NS_PER_US);
}

static void strength_falls_with_distance_and_ends_at_the_sensitivity(void **state)
{
    static const struct {
        double distance_m;
        enum ys_phy phy;
        int8_t power_dbm;
        int strength_dbm; /* 0: not heard */
    } cases[] = {
        {0, YS_PHY_1M, 0, -20},           {1, YS_PHY_1M, 0, -40},        {10, YS_PHY_1M, 0, -60},
        {100, YS_PHY_1M, 0, -80},         {562, YS_PHY_1M, 0, -95},      {563, YS_PHY_1M, 0, 0},
        {563, YS_PHY_1M, 8, -87},         {398, YS_PHY_2M, 0, -92},      {399, YS_PHY_2M, 0, 0},
        {1412, YS_PHY_CODED_S8, 0, -103}, {1414, YS_PHY_CODED_S8, 0, 0}, {100, YS_PHY_1M, -20, 0},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        struct ear ear;
        assert_true(ys_radio_place(radio, 1, 5, 5));
        assert_true(ys_radio_place(radio, 2, 5 + 0.6 * cases[i].distance_m, 5 - 0.8 * cases[i].distance_m));
        listen(&ear, 1, cases[i].phy);
        send_as(2, cases[i].phy, cases[i].power_dbm);
        pass_us(5000);
        ys_radio_stop(&ear.receiver);
        assert_int_equal(ear.good, cases[i].strength_dbm != 0);
        if (ear.good > 0)
            assert_int_equal(ear.last.strength_dbm, cases[i].strength_dbm);
    }
}

static void shadowing_is_normal_belongs_to_a_pair_and_is_the_same_both_ways(void **state)
{
    struct ys_air_model model = plain;
    struct ys_propagation *one;
    struct ys_propagation *other;
    double sum = 0;
    double squares = 0;
    size_t beyond = 0;
#define PAIRS UINT16_C(20000)
    (void)state;
    model.shadowing_db = 6;
    model.seed = 7;
    one = ys_propagation_new(&model);
    model.seed = 8;
    other = ys_propagation_new(&model);
    size_t equal = 0;
    for (uint16_t i = 0; i < PAIRS; i++) {
        int32_t loss = ys_propagation_loss_cdb(one, 1, (uint16_t)(i + 2));
        double db = loss / 100.0 - 20; /* 10 cm apart */
        assert_int_equal(loss, ys_propagation_loss_cdb(one, (uint16_t)(i + 2), 1));
        equal += loss == ys_propagation_loss_cdb(other, 1, (uint16_t)(i + 2));
        sum += db;
        squares += db * db;
        beyond += fabs(db) > 12;
    }
    double mean = sum / PAIRS;
    double deviation = sqrt(squares / PAIRS - mean * mean);
    assert_true(fabs(mean) < 4 * 6 / sqrt(PAIRS));
    assert_true(fabs(deviation - 6) < 4 * 6 / sqrt(2.0 * PAIRS) + 0.02);
    assert_in_range(beyond, PAIRS * 4 / 100, PAIRS * 5 / 100); /* 4.55 % beyond two deviations */
    assert_true(equal < PAIRS / 100);
    ys_propagation_free(one);
    ys_propagation_free(other);
}

static void powers_are_added_as_powers(void **state)
{
    struct ys_propagation *propagation = ys_propagation_new(&plain);
    (void)state;
    assert_int_equal(ys_propagation_power_aw(propagation, -15000), 1);
    assert_int_equal(ys_propagation_power_aw(propagation, -15001), 0);
    assert_int_equal(ys_propagation_power_aw(propagation, -9000), 1000000);
    assert_int_equal(ys_propagation_power_aw(propagation, 0), UINT64_C(1000000000000000));
    assert_int_equal(ys_propagation_power_aw(propagation, 301), UINT64_C(1999862000000000));
    assert_int_equal(ys_propagation_power_aw(propagation, 9999), UINT64_C(10000000000000000000));
    for (int32_t power = -15000; power < 4000; power++) {
        double exact = pow(10, (power + 15000) / 1000.0);
        double is = (double)ys_propagation_power_aw(propagation, power);
        assert_true(fabs(is - exact) <= 1 + exact * 1e-6);
    }
    ys_propagation_free(propagation);
}

/* The first is wanted, at -60 dBm; the others come while it is on the air, each from its time on, which is 376 us long
 * as well. */
static void a_packet_comes_through_if_all_else_together_stays_weaker(void **state)
{
    static const struct {
        struct {
            uint64_t at_us;
            int8_t power_dbm;
        } others[3];
        size_t good;
        size_t spoiled;
    } cases[] = {
        {{{10, -9}}, 1, 0}, /* 9 dB weaker, of which 8 are needed */
        {{{10, -7}}, 0, 1},
        {{{375, 0}}, 0, 1}, /* only its last microsecond */
        {{{377, 0}}, 2, 0}, /* it has ended: the other is heard, too */
        {{{10, -10}, {20, -14}}, 1, 0},
        {{{10, -10}, {20, -10}}, 0, 1}, /* together 7 dB weaker */
        {{{10, -10}, {20, -14}, {30, -14}}, 0, 1},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        struct ear ear;
        uint64_t now_us = 0;
        for (uint16_t number = 1; number <= 4; number++)
            assert_true(ys_radio_place(radio, number + 1, 10, 0));
        assert_true(ys_radio_place(radio, 1, 0, 0));
        listen(&ear, 1, YS_PHY_1M);
        send_as(2, YS_PHY_1M, 0);
        for (uint16_t j = 0; j < 3 && cases[i].others[j].at_us > 0; j++) {
            pass_us(cases[i].others[j].at_us - now_us);
            now_us = cases[i].others[j].at_us;
            send_as(3 + j, YS_PHY_1M, cases[i].others[j].power_dbm);
        }
        pass_us(2000);
        ys_radio_stop(&ear.receiver);
        assert_int_equal(ear.good, cases[i].good);
        assert_int_equal(ear.spoiled, cases[i].spoiled);
    }
}

static void what_is_on_the_air_already_counts_too(void **state)
{
    struct ear ear;
    (void)state;
    assert_true(ys_radio_place(radio, 1, 0, 0));
    assert_true(ys_radio_place(radio, 2, 10, 0));
    assert_true(ys_radio_place(radio, 3, 2000, 0)); /* too far to be heard, and to disturb */
    assert_true(ys_radio_place(radio, 4, 0, 12));
    listen(&ear, 1, YS_PHY_1M);
    send_as(3, YS_PHY_1M, 0);
    pass_us(100);
    send_as(2, YS_PHY_1M, 0);
    pass_us(1000);
    assert_int_equal(ear.good, 1);
    ys_radio_stop(&ear.receiver);
    send_as(4, YS_PHY_1M, 0); /* before it listens: it is not heard, but it is there */
    pass_us(100);
    listen(&ear, 1, YS_PHY_1M);
    send_as(2, YS_PHY_1M, 0);
    pass_us(1000);
    assert_int_equal(ear.good, 0);
    assert_int_equal(ear.spoiled, 1);
    ys_radio_stop(&ear.receiver);
}

static void an_interferer_spoils_its_share_of_its_band_and_nothing_else(void **state)
{
    static const struct {
        uint16_t from_mhz;
        uint16_t to_mhz;
        double duty;
        double spoiled; /* of packets of 376 us, among bursts of 2 ms: a little more than the duty */
    } cases[] = {
        {2400, 2410, 1, 1},
        {2404, 2484, 1, 0}, /* channel 37 ends at 2403 MHz */
        {2400, 2484, 0.3, 0.3 + 0.3 * 376 / 2000},
    };
    enum { PACKETS = 20000 };
    for (size_t i = 0; i < COUNT(cases); i++) {
        struct ear ear;
        teardown(state); /* a fresh radio for each case */
        setup(state);
        assert_true(ys_radio_place(radio, 2, 3, 0));
        assert_true(ys_radio_place(radio, 100, 1, 0));
        assert_true(ys_radio_interfere(radio, &(struct ys_interferer){.number = 100,
                                                                      .from_mhz = cases[i].from_mhz,
                                                                      .to_mhz = cases[i].to_mhz,
                                                                      .duty = cases[i].duty,
                                                                      .burst_us = 2000,
                                                                      .seed = 3}));
        listen(&ear, 1, YS_PHY_1M);
        struct ys_chance chance = ys_chance_of(5, 5);
        for (int j = 0; j < PACKETS; j++) {
            send_as(2, YS_PHY_1M, 0);
            pass_us(400 + ys_chance_below(&chance, 10000));
        }
        double share = (double)ear.spoiled / PACKETS;
        assert_int_equal(ear.good + ear.spoiled, PACKETS);
        assert_true(fabs(share - cases[i].spoiled) <= 0.02);
        ys_radio_stop(&ear.receiver);
    }
}

/* Senders that do not look before they send, all equally strong: of packets of one length, on a channel that is offered
 * `load` of what it can carry, exp(-2 load) come through. */
static void a_crowd_collides_as_the_textbook_says(void **state)
{
    static const double loads[] = {0.05, 0.2, 0.5, 1};
#define CROWD UINT16_C(40000)
    (void)state;
    for (size_t i = 0; i < COUNT(loads); i++) {
        struct ear ear;
        struct ys_chance chance = ys_chance_of(11, i);
        listen(&ear, 1, YS_PHY_1M);
        for (uint16_t j = 0; j < CROWD; j++) {
            double uniform = (double)(ys_chance_next(&chance) >> 11) / (double)(UINT64_C(1) << 53);
            uint64_t gap_ns = (uint64_t)(-log(1 - uniform) * 376000 / loads[i]);
            ys_clock_run(the_clock, ys_clock_now_ns(the_clock) + gap_ns);
            send_as((uint16_t)(2 + j % 1000), YS_PHY_1M, 0);
        }
        pass_us(1000);
        ys_radio_stop(&ear.receiver);
        double expected = exp(-2 * loads[i]);
        double deviation = sqrt(expected * (1 - expected) / CROWD);
        assert_true(fabs((double)ear.good / CROWD - expected) < 5 * deviation);
    }
}

/* a hall */

#define BEACONS  UINT16_C(10000)
#define SCANNERS UINT16_C(20)

struct listener {
    size_t reports;
    int8_t strongest_dbm;
};

static void take_report(void *context, const uint8_t *packet, size_t length)
{
    struct listener *listener = context;
    if (length < 14 || packet[1] != 0x3e || packet[3] != 2)
        return;
    int8_t strength_dbm = (int8_t)packet[length - 1];
    listener->reports++;
    if (strength_dbm > listener->strongest_dbm)
        listener->strongest_dbm = strength_dbm;
}

static void ignore(void *context, const uint8_t *packet, size_t length)
{
    (void)context;
    (void)packet;
    (void)length;
}

static struct ys_controller *stand(uint16_t number, ys_packet_fn *send, void *context)
{
    struct ys_controller *controller = ys_controller_new(
        radio, &(struct ys_controller_settings){.number = number,
                                                .seed = 3,
                                                .address = {.bytes = {(uint8_t)number, (uint8_t)(number >> 8)}},
                                                .buffer_count = 1,
                                                .send = send,
                                                .context = context});
    assert_non_null(controller);
    return controller;
}

static void count_on_37(void *context, const struct ys_air_packet *packet)
{
    *(size_t *)context += packet->channel == 37;
}

/* Beacons, each every 10 s, and scanners that stay on channel 37, in a place of that length: what share of what was
 * sent there do they hear? */
static void crowd(uint16_t beacons, uint16_t scanners, uint32_t metres, struct listener *listeners, size_t *sent)
{
    static const uint8_t parameters[] = {1, 6, 0x20, 15, 0x80, 0x3e, 0x80, 0x3e, 3, 0, 0, 0, 0, 0, 0, 0, 0, 7, 0};
    static const uint8_t data[36] = {1, 8, 0x20, 32, 31, 30, 0xff};
    static const uint8_t on[] = {1, 10, 0x20, 1, 1};
    static const uint8_t scan[] = {1, 11, 0x20, 7, 0, 0, 0x40, 0, 0x40, 0, 0};
    static const uint8_t scan_on[] = {1, 12, 0x20, 2, 1, 0};
    static struct ys_controller *controllers[BEACONS + SCANNERS];
    struct ys_chance chance = ys_chance_of(1, 1);
    for (uint16_t i = 0; i < beacons; i++) {
        controllers[i] = stand(i + 1, ignore, NULL);
        assert_true(
            ys_radio_place(radio, i + 1, ys_chance_below(&chance, metres), ys_chance_below(&chance, metres / 2 + 1)));
        ys_controller_receive(controllers[i], parameters, sizeof parameters);
        ys_controller_receive(controllers[i], data, sizeof data);
    }
    for (uint16_t i = 0; i < beacons; i++) { /* at any time within 10 s */
        ys_clock_run(the_clock, UINT64_C(1000000) * (i + ys_chance_below(&chance, 2)));
        ys_controller_receive(controllers[i], on, sizeof on);
    }
    static struct ys_observer watcher;
    watcher = (struct ys_observer){.observe = count_on_37, .context = sent};
    ys_radio_observe(radio, &watcher);
    for (uint16_t i = 0; i < scanners; i++) {
        listeners[i] = (struct listener){.strongest_dbm = -128};
        controllers[beacons + i] = stand(beacons + 1 + i, take_report, &listeners[i]);
        assert_true(ys_radio_place(radio, beacons + 1 + i, ys_chance_below(&chance, metres),
                                   ys_chance_below(&chance, metres / 2 + 1)));
        ys_controller_receive(controllers[beacons + i], scan, sizeof scan);
        ys_controller_receive(controllers[beacons + i], scan_on, sizeof scan_on);
    }
    pass_us(10000000);
    for (uint16_t i = 0; i < beacons + scanners; i++)
        ys_controller_free(controllers[i]);
}

static void ten_thousand_beacons_collide_as_the_textbook_says(void **state)
{
    struct ys_air_model equal = plain;
    struct listener listeners[SCANNERS];
    size_t sent = 0;
    (void)state;
    equal.exponent = 0; /* everybody is heard alike */
    assert_true(ys_radio_set_model(radio, &equal));
    crowd(BEACONS, SCANNERS, 100, listeners, &sent);
    double load = BEACONS * 376e-6 / 10.005;
    double expected = exp(-2 * load);
    for (size_t i = 0; i < SCANNERS; i++) {
        assert_true(fabs((double)listeners[i].reports / (double)sent - expected) < 0.03);
        assert_int_equal(listeners[i].strongest_dbm, -40);
    }
}

static void in_a_hall_the_near_are_heard_over_the_far(void **state)
{
    struct listener listeners[SCANNERS];
    size_t sent = 0;
    (void)state;
    assert_true(ys_radio_set_model(radio, &ys_air_hall));
    crowd(BEACONS, SCANNERS, 100, listeners, &sent);
    double sum = 0;
    for (size_t i = 0; i < SCANNERS; i++) {
        double share = (double)listeners[i].reports / (double)sent;
        assert_true(share > 0.2 && share < 0.95); /* in a corner the far wall is too far */
        assert_in_range(listeners[i].strongest_dbm + 128, 128 - 60, 128);
        sum += share;
    }
    assert_true(sum / SCANNERS > exp(-2 * BEACONS * 376e-6 / 10.005) + 0.05);
}

static void small_halls_and_a_single_spot_are_halls_too(void **state)
{
    static const struct {
        uint16_t beacons, scanners;
        uint32_t metres;
        size_t sent, heard;
    } rows[] = {
        {0, 0, 100, 0, 0},     /* nobody */
        {0, 1, 100, 0, 0},     /* who scans hears nothing */
        {1, 0, 100, 1, 0},     /* nobody hears it */
        {1, 1, 1, 1, 1},       /* both on one coordinate */
        {300, 3, 1, 300, 435}, /* all on one spot, as strong as each other, within 310 ms: exp(-2 * 0.364) of them */
    };
    for (size_t i = 0; i < sizeof rows / sizeof rows[0]; i++) {
        struct listener listeners[SCANNERS];
        size_t sent = 0;
        size_t heard = 0;
        teardown(state);
        setup(state);
        assert_true(ys_radio_set_model(radio, &ys_air_hall));
        crowd(rows[i].beacons, rows[i].scanners, rows[i].metres, listeners, &sent);
        for (uint16_t k = 0; k < rows[i].scanners; k++)
            heard += listeners[k].reports;
        assert_in_range(sent, rows[i].sent - rows[i].sent / 50, rows[i].sent);
        assert_in_range(heard, rows[i].heard - rows[i].heard / 10, rows[i].heard + rows[i].heard / 10);
    }
}

/* What is kept for who listens for long is what is computed for others: two at one place hear the same, of a crowd in
 * which some stand at one place, too, and which moves. */
static void who_listens_for_long_hears_what_others_hear(void **state)
{
    enum { SENDERS = 40, FIRST = 70000 };
    struct ys_air_model hall = ys_air_hall;
    struct ys_chance chance = ys_chance_of(21, 1);
    struct ear ears[2];
    size_t strengths = 0;
    (void)state;
    hall.shadowing_db = 0; /* which is another for each pair */
    assert_true(ys_radio_set_model(radio, &hall));
    for (uint32_t round = 0; round < 200; round++) {
        for (uint32_t i = 0; round % 50 == 0 && i < SENDERS; i++)
            assert_true(
                ys_radio_place(radio, FIRST + i, ys_chance_below(&chance, 8) * 9, ys_chance_below(&chance, 8) * 9));
        for (uint32_t i = 0; round % 40 == 0 && i < 2; i++)
            assert_true(ys_radio_place(radio, 1 + i, round, 20));
        for (uint32_t i = 0; i < 2; i++) {
            ears[i] = (struct ear){.receiver = {.receive = hear, .context = &ears[i], .owner = 1 + i, .lasts = i == 0}};
            ys_radio_listen(radio, &ears[i].receiver, CHANNEL, YS_PHY_1M, ADDRESS);
        }
        for (unsigned i = 0; i < 30; i++) {
            send_as(FIRST + ys_chance_below(&chance, SENDERS), YS_PHY_1M, (int8_t)(ys_chance_below(&chance, 3) * 4));
            pass_us(ys_chance_below(&chance, 400));
            assert_int_equal(ears[0].good, ears[1].good);
            assert_int_equal(ears[0].spoiled, ears[1].spoiled);
            assert_int_equal(ears[0].last.strength_dbm, ears[1].last.strength_dbm);
        }
        pass_us(1000);
        strengths += ears[0].good + ears[0].spoiled;
        for (int i = 0; i < 2; i++)
            ys_radio_stop(&ears[i].receiver);
    }
    assert_true(strengths > 1000);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
#define TEST(test) cmocka_unit_test_setup_teardown(test, setup, teardown)
        TEST(strength_falls_with_distance_and_ends_at_the_sensitivity),
        TEST(shadowing_is_normal_belongs_to_a_pair_and_is_the_same_both_ways),
        TEST(powers_are_added_as_powers),
        TEST(a_packet_comes_through_if_all_else_together_stays_weaker),
        TEST(what_is_on_the_air_already_counts_too),
        TEST(an_interferer_spoils_its_share_of_its_band_and_nothing_else),
        TEST(a_crowd_collides_as_the_textbook_says),
        TEST(ten_thousand_beacons_collide_as_the_textbook_says),
        TEST(in_a_hall_the_near_are_heard_over_the_far),
        TEST(small_halls_and_a_single_spot_are_halls_too),
        TEST(who_listens_for_long_hears_what_others_hear),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
