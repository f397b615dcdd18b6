/* Real reception: bits, noise, interference, fading; against calculations of their own. */
#include "support/check.h"

#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "measure/errors.h"
#include "sim/chance.h"
#include "sim/fading.h"
#include "sim/radio.h"

#define ACCESS 0x50657a4d

static const struct ys_air_model plain = {
    .loss_at_1m_db = 40,
    .exponent = 2,
    .capture_db = 8,
    .sensitivity_dbm = {[YS_PHY_1M] = -95, [YS_PHY_2M] = -92, [YS_PHY_CODED_S8] = -105, [YS_PHY_CODED_S2] = -100},
    .reception = YS_RECEPTION_REAL,
    .noise_figure_db = 7,
    .seed = 3};

static struct ys_clock *the_clock;
static struct ys_radio *radio;

static void begin(const struct ys_air_model *model)
{
    the_clock = ys_clock_new();
    radio = ys_radio_new(the_clock);
    assert_true(ys_radio_set_model(radio, model));
}

static void end(void)
{
    ys_radio_free(radio);
    ys_clock_free(the_clock);
}

struct ear {
    struct ys_receiver receiver;
    unsigned heard;
    unsigned good;
};

static void hear(void *context, const struct ys_air_packet *packet)
{
    struct ear *ear = context;
    ear->heard++;
    ear->good += packet->crc_good;
}

static void listen(struct ear *ear, uint8_t channel, enum ys_phy phy)
{
    ear->receiver.receive = hear;
    ear->receiver.context = ear;
    ear->receiver.owner = 1;
    ys_radio_listen(radio, &ear->receiver, channel, phy, ACCESS);
}

static void send_as(uint16_t sender, uint8_t channel, enum ys_phy phy, uint32_t access_address, uint16_t length)
{
    static const uint8_t bytes[257];
    (void)ys_radio_send(radio, &(struct ys_sending){.channel = channel,
                                                    .phy = phy,
                                                    .access_address = access_address,
                                                    .sender = sender,
                                                    .pdu = bytes,
                                                    .length = length});
}

static void pass_us(uint64_t us)
{
    ys_clock_run(the_clock, ys_clock_now_ns(the_clock) + us * YS_NS_PER_US);
}

/* Puts two so far apart that one is heard by the other with this strength, at 0 dBm. */
static void place_at(uint16_t number, double strength_dbm)
{
    assert_true(ys_radio_place(radio, 1, 0, 0));
    assert_true(ys_radio_place(radio, number, pow(10, (-40 - strength_dbm) / 20), 0));
}

/* The code of LE Coded (Vol 6 Part B 3.3.1), its paths counted by walking them: how many leave the state of zeros and
 * come back to it at each distance, and how many ones they carry. */

static void walk(unsigned state, unsigned distance, unsigned ones, unsigned length, double paths[16], double bits[16])
{
    for (unsigned bit = 0; bit < 2; bit++) {
        unsigned window = bit << 3 | state;
        unsigned weight = (unsigned)__builtin_parity(window & 0xf) + (unsigned)__builtin_parity(window & 0xd);
        unsigned next = window >> 1;
        if ((length == 0 && bit == 0) || distance + weight > 13)
            continue;
        if (next == 0) {
            paths[distance + weight]++;
            bits[distance + weight] += ones + bit;
        } else if (length < 60) {
            walk(next, distance + weight, ones + bit, length + 1, paths, bits);
        }
    }
}

static double choose(unsigned n, unsigned k)
{
    return round(exp(lgamma(n + 1.0) - lgamma(k + 1.0) - lgamma(n - k + 1.0)));
}

static double union_bound(const double counts[16], double p)
{
    double sum = 0;
    for (unsigned d = 6; d <= 13; d++)
        for (unsigned k = (d + 1) / 2; k <= d; k++)
            sum += counts[d] * choose(d, k) * pow(p, k) * pow(1 - p, d - k) * (2 * k == d ? 0.5 : 1);
    return sum;
}

static double paths[16];
static double wrong_bits[16];
static double coded_symbols; /* wrong, where one bit of a thousand is */

static int setup(void **state)
{
    (void)state;
    walk(0, 0, 0, 0, paths, wrong_bits);
    double least = 0;
    double most = 0.1;
    for (int i = 0; i < 60; i++) {
        coded_symbols = (least + most) / 2;
        if (union_bound(wrong_bits, coded_symbols) > 1e-3)
            most = coded_symbols;
        else
            least = coded_symbols;
    }
    return 0;
}

/* The same curves, from their definition: half of exp(-x), x in proportion to the ratio of the powers. */
static double error_starts(bool coded, double margin_db)
{
    double ratio = pow(10, margin_db / 10);
    if (!coded)
        return 0.5 * pow(0.002, ratio);
    return fmin(union_bound(paths, 0.5 * pow(2 * coded_symbols, ratio)), 1);
}

/* Vol 6 Part B 3.3.1. */
static void at_the_sensitivity_one_bit_of_a_thousand_is_wrong(void **state)
{
    (void)state;
    assert_true(paths[6] == 1 && paths[7] == 3 && paths[8] == 5);
    for (int coded = 0; coded < 2; coded++) {
        assert_true(fabs(ys_bit_errors(coded != 0, 0) - 1e-3) < 1e-9);
        for (int half_db = -6; half_db < 12; half_db++) {
            double margin_db = half_db / 2.0;
            double expected = error_starts(coded != 0, margin_db);
            assert_true(fabs(ys_error_starts(coded != 0, margin_db) - expected) <= 1e-6 * expected);
            assert_true(ys_bit_errors(coded != 0, margin_db) > ys_bit_errors(coded != 0, margin_db + 0.5) ||
                        margin_db < -2);
        }
    }
    assert_true(fabs(ys_thermal_noise_dbm(YS_PHY_1M, 7) + 107) < 1e-9);
    assert_true(fabs(ys_thermal_noise_dbm(YS_PHY_2M, 7) + 103.99) < 1e-2);
}

static double deviation(double expected, unsigned packets)
{
    return sqrt(fmax(expected * (1 - expected), 1.0 / packets) / packets);
}

/* Four margins and three lengths of each PHY. */
static void packets_are_lost_by_margin_and_length_as_their_bits_are(void **state)
{
    enum { PACKETS = 3000 };
    static const double margins_db[] = {-1, 0, 1, 2};
    static const uint16_t lengths[] = {2, 39, 253};
    (void)state;
    for (int phy = YS_PHY_1M; phy <= YS_PHY_CODED_S2; phy++) {
        bool coded = ys_phy_is_coded((enum ys_phy)phy);
        for (size_t m = 0; m < COUNT(margins_db); m++) {
            for (size_t l = 0; l < COUNT(lengths); l++) {
                struct ear ear = {.heard = 0};
                begin(&plain);
                place_at(2, plain.sensitivity_dbm[phy] + margins_db[m]);
                for (unsigned i = 0; i < PACKETS; i++) {
                    listen(&ear, 5, (enum ys_phy)phy);
                    send_as(2, 5, (enum ys_phy)phy, ACCESS, lengths[l]);
                    pass_us(20000);
                }
                ys_radio_stop(&ear.receiver);
                /* the beginning of a packet of S=2 has S=8, which needs 5 dB less here */
                double sync_db = margins_db[m] + (phy == YS_PHY_CODED_S2 ? 5 : 0);
                double heard = pow(1 - error_starts(coded, sync_db), coded ? 37 : 32);
                double whole = pow(1 - error_starts(coded, margins_db[m]), 8 * (lengths[l] + 3) + (coded ? 3 : 0));
                double error_of_heard = fabs((double)ear.heard / PACKETS - heard);
                double error_of_good = fabs((double)ear.good / PACKETS - heard * whole);
                if (error_of_heard > 4 * deviation(heard, PACKETS) ||
                    error_of_good > 4 * deviation(heard * whole, PACKETS) + 0.003) {
                    (void)printf("PHY %d, margin %g dB, %u bytes: %u heard, %u good of %u; expected %.1f and %.1f\n",
                                 phy, margins_db[m], lengths[l], ear.heard, ear.good, (unsigned)PACKETS,
                                 heard * PACKETS, heard * whole * PACKETS);
                    fail();
                }
                end();
            }
        }
    }
}

/* Another packet covers the second half of one, or all of it but its access address. */
static void interference_harms_the_part_that_it_covers(void **state)
{
    enum { PACKETS = 3000 };
    static const struct {
        uint64_t after_us;
        unsigned covered_bits; /* of 2,048 */
    } cases[] = {{1064, 1024}, {40, 2048}, {2000, 88}};
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        struct ear ear = {.heard = 0};
        begin(&plain);
        place_at(2, -70);
        assert_true(ys_radio_place(radio, 3, -pow(10, 38.0 / 20), 0)); /* 8 dB weaker: -78 dBm */
        for (unsigned k = 0; k < PACKETS; k++) {
            listen(&ear, 5, YS_PHY_1M);
            send_as(2, 5, YS_PHY_1M, ACCESS, 253);
            pass_us(cases[i].after_us);
            send_as(3, 5, YS_PHY_1M, ACCESS + 1, 253);
            pass_us(5000);
        }
        ys_radio_stop(&ear.receiver);
        assert_int_equal(ear.heard, PACKETS);
        /* 8 dB above what interferes, beside noise that is 37 dB below: as at the sensitivity */
        double expected = pow(1 - error_starts(false, 0), cases[i].covered_bits);
        double good = (double)ear.good / PACKETS;
        if (fabs(good - expected) > 4 * deviation(expected, PACKETS) + 0.004) {
            (void)printf("covered after %u us: %.4f good, expected %.4f\n", (unsigned)cases[i].after_us, good,
                         expected);
            fail();
        }
        end();
    }
}

/* What is sent on another channel counts by so many dB less (Vol 6 Part A 4.2). */
static void neighbours_disturb_by_how_far_away_they_are(void **state)
{
    static const struct {
        uint8_t channel;
        enum ys_phy phy;
        double strength_dbm; /* with which it does as much as one of -78 dBm on the own channel */
    } cases[] = {
        {21, YS_PHY_1M, -40}, {19, YS_PHY_1M, -40}, {22, YS_PHY_1M, -30}, {5, YS_PHY_1M, -30},
        {21, YS_PHY_2M, -72}, {22, YS_PHY_2M, -40}, {30, YS_PHY_2M, -30},
    };
    enum { PACKETS = 1500 };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        for (int stronger = -6; stronger <= 6; stronger += 6) {
            struct ear ear = {.heard = 0};
            begin(&plain);
            place_at(2, -70);
            double distance_m = pow(10, (-40 - cases[i].strength_dbm - stronger) / 20);
            assert_true(ys_radio_place(radio, 3, -distance_m, 0));
            for (unsigned k = 0; k < PACKETS; k++) {
                listen(&ear, 20, YS_PHY_1M);
                send_as(2, 20, YS_PHY_1M, ACCESS, 39);
                pass_us(60);
                send_as(3, cases[i].channel, cases[i].phy, ACCESS, 253);
                pass_us(5000);
            }
            ys_radio_stop(&ear.receiver);
            double expected = pow(1 - error_starts(false, -stronger), 8 * 42 - 20);
            double good = (double)ear.good / PACKETS;
            if (fabs(good - expected) > 4 * deviation(expected, PACKETS) + 0.01) {
                (void)printf("channel %u, PHY %d, %d dB stronger: %.4f good, expected %.4f\n", cases[i].channel,
                             cases[i].phy, stronger, good, expected);
                fail();
            }
            end();
        }
    }
}

/* The share of places, or times, where the power of a Rician channel is below a bound: by the integral over its density
 * in the plane. */
static double rician_below(double k, double bound)
{
    double steady = sqrt(k / (k + 1));
    double variance = 1 / (2 * (k + 1));
    double step = 0.002;
    double sum = 0;
    for (unsigned i = 0; i < 2 * sqrt(bound) / step - 0.5; i++) {
        double x = (i + 0.5) * step - sqrt(bound);
        double reach = sqrt(bound - x * x);
        sum += step * exp(-(x - steady) * (x - steady) / (2 * variance)) / sqrt(2 * 3.14159265358979 * variance) *
               erf(reach / sqrt(2 * variance));
    }
    return sum;
}

static void fading_has_the_distribution_of_its_name(void **state)
{
    static const double bounds_db[] = {-20, -10, -3, 0, 3};
    enum { TIMES = 40000 };
    (void)state;
    for (int kind = YS_FADING_RICIAN; kind <= YS_FADING_RAYLEIGH; kind++) {
        struct ys_air_model model = plain;
        unsigned below[COUNT(bounds_db)] = {0};
        double power = 0;
        model.fading = (enum ys_fading)kind;
        model.rician_k_db = 6;
        model.coherence_us = 20000;
        for (uint64_t i = 0; i < TIMES; i++) {
            double db = -fading_cdb(&model, 0x10002, (uint8_t)(i % 40), i / 40 * 20 * YS_NS_PER_MS) / 100.0;
            power += pow(10, db / 10) / TIMES;
            for (size_t b = 0; b < COUNT(bounds_db); b++)
                below[b] += db < bounds_db[b];
        }
        assert_true(fabs(power - 1) < 4 * 1.0 / sqrt(TIMES) + 0.002);
        for (size_t b = 0; b < COUNT(bounds_db); b++) {
            double bound = pow(10, bounds_db[b] / 10);
            double expected = kind == YS_FADING_RAYLEIGH ? 1 - exp(-bound) : rician_below(pow(10, 0.6), bound);
            assert_true(fabs((double)below[b] / TIMES - expected) < 4 * deviation(expected, TIMES) + 0.001);
        }
        /* it stays for its time, is the same both ways, and another one on another channel, or of two others */
        assert_int_equal(fading_cdb(&model, 0x10002, 3, 1), fading_cdb(&model, 0x10002, 3, 19999999));
        assert_int_not_equal(fading_cdb(&model, 0x10002, 3, 1), fading_cdb(&model, 0x10002, 3, 20000000));
        assert_int_not_equal(fading_cdb(&model, 0x10002, 3, 1), fading_cdb(&model, 0x10002, 4, 1));
        assert_int_not_equal(fading_cdb(&model, 0x10002, 3, 1), fading_cdb(&model, 0x10003, 3, 1));
        model.coherence_us = 0;
        assert_int_equal(fading_cdb(&model, 0x10002, 3, 1), fading_cdb(&model, 0x10002, 3, UINT64_MAX));
    }
}

static void a_body_is_in_the_way_of_what_lies_behind_it(void **state)
{
    enum { TIMES = 4000 };
    struct ys_propagation *propagation = ys_propagation_new(&plain);
    double sum = 0;
    double least = 1e9;
    double most = 0;
    (void)state;
    assert_true(ys_propagation_place(propagation, 1, 0, 0) && ys_propagation_place(propagation, 2, 3, 4));
    assert_int_equal(ys_propagation_change_cdb(propagation, 1, 2, 0, 0), 0);
    assert_true(ys_propagation_carry(propagation, 2, 12));
    for (uint64_t i = 0; i < TIMES; i++) {
        int32_t cdb = ys_propagation_change_cdb(propagation, 1, 2, 0, i * 5 * YS_NS_PER_S);
        assert_int_equal(cdb, ys_propagation_change_cdb(propagation, 2, 1, 7, i * 5 * YS_NS_PER_S + 4999999999));
        sum += cdb / 100.0 / TIMES;
        least = fmin(least, cdb / 100.0);
        most = fmax(most, cdb / 100.0);
    }
    assert_true(least < 0.1 && most > 11.9 && most <= 12);
    assert_true(fabs(sum - 6) < 4 * 12 / sqrt(8.0) / sqrt(TIMES));
    ys_propagation_free(propagation);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(at_the_sensitivity_one_bit_of_a_thousand_is_wrong),
        cmocka_unit_test(packets_are_lost_by_margin_and_length_as_their_bits_are),
        cmocka_unit_test(interference_harms_the_part_that_it_covers),
        cmocka_unit_test(neighbours_disturb_by_how_far_away_they_are),
        cmocka_unit_test(fading_has_the_distribution_of_its_name),
        cmocka_unit_test(a_body_is_in_the_way_of_what_lies_behind_it),
    };
    return cmocka_run_group_tests(tests, setup, NULL);
}
