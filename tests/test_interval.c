/* Watching an advertiser and looking for it: the air against the standard, searches against a calculation of this
 * file's own, expectations against what they should say. */
#include "support/check.h"

#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "experiment/interval.h"
#include "experiment/verdict.h"
#include "sim/chance.h"
#include "support/definition.h"

#define CONNECTABLE(interval) "device: {name: T2}\nservices: []\nadvertising: {interval: " interval "}\n"
#define BEACON(interval)                                                                                               \
    "device: {name: T2}\nservices: []\nadvertising: {kind: beacon, interval: " interval                                \
    ", data: [{structure: {type: 0xFF, value: ffff00}}]}\n"

static void run(const struct ys_design *design, uint32_t seconds, uint32_t runs, unsigned threads, const char *scanner,
                struct ys_interval_report *report)
{
    struct ys_scanner one;
    assert_int_equal(design->findings.errors, 0);
    assert_true(ys_scanner_of(scanner, &one));
    const struct ys_interval_plan plan = {.design = design,
                                          .seconds = seconds,
                                          .runs = runs,
                                          .seed = 9,
                                          .scanners = &one,
                                          .scanner_count = 1,
                                          .threads = threads};
    assert_true(ys_interval_run(&plan, report));
}

/* the air */

/* Vol 6 Part B 4.4.2.2. */
static void each_interval_is_what_was_set_and_up_to_10_ms_more(void **state)
{
    struct ys_design *design = read_text(CONNECTABLE("50 ms"));
    struct ys_interval_report report;
    (void)state;
    run(design, 300, 1, 1, "half", &report);
    struct ys_advertising_meter *air = &report.air;
    struct ys_samples *intervals = &air->intervals_ms;
    double error = 10 / sqrt(12) / sqrt((double)intervals->count);
    assert_int_equal(report.connections, 2);
    assert_int_equal(air->packets[YS_LINK_CONNECT_IND], 2);
    assert_in_range(air->events, 300000 / 55 - 60, 300000 / 55 + 60);
    assert_true(ys_samples_quantile(intervals, 0) >= 50 && ys_samples_quantile(intervals, 1) <= 60);
    assert_true(fabs(ys_samples_mean(intervals) - 55) < 4 * error);
    assert_true(fabs(ys_samples_quantile(intervals, 0.5) - 55) < 0.5);
    assert_true(fabs(ys_samples_quantile(intervals, 0.95) - 59.5) < 0.2);
    assert_in_range(air->packets[YS_LINK_ADV_IND], 3 * air->events - 4,
                    3 * air->events); /* connections cut two short */
    assert_int_equal(air->packets[YS_LINK_SCAN_RSP], air->packets[YS_LINK_SCAN_REQ]);
    /* flags: 3 bytes of payload, 11 with the address: (1 + 4 + 2 + 9 + 3) x 8 us; 150 us later nobody has asked */
    assert_int_equal(air->spacing_min_ns, (152 + 150 + 16 + 150) * 1000);
    assert_int_equal(air->silence, YS_SILENCE_EVENTS);
    ys_interval_report_free(&report);
    ys_design_free(design);
}

static void packet(struct ys_advertising_meter *meter, uint64_t at_ms, uint8_t channel, uint8_t type)
{
    static const struct ys_address other = {.bytes = {9}};
    struct ys_air_packet packet = {.start_ns = at_ms * 1000000,
                                   .duration_ns = 100000,
                                   .channel = channel,
                                   .access_address = YS_LINK_ADVERTISING_ACCESS_ADDRESS,
                                   .crc_good = true};
    bool to_it = type == YS_LINK_SCAN_REQ || type == YS_LINK_CONNECT_IND;
    const struct ys_link_advertising pdu = {.type = type,
                                            .sender = to_it ? other : meter->advertiser,
                                            .target = meter->advertiser,
                                            .connect = {.interval = 24, .timeout = 100, .hop = 7}};
    struct ys_writer writer = ys_writer_to(packet.pdu, sizeof packet.pdu);
    ys_put_link_advertising(&writer, &pdu);
    packet.length = (uint16_t)ys_writer_stored(&writer);
    ys_advertising_meter_take(meter, &packet);
}

/* An advertiser that is told to advertise every 100 ms, and what it does then. */
static void a_silence_has_its_reason(void **state)
{
    struct ys_advertising_meter meter = {.advertiser = {.bytes = {1}}, .interval_max_ns = 100000000};
    (void)state;
    packet(&meter, 0, 37, YS_LINK_ADV_IND);
    packet(&meter, 1, 38, YS_LINK_ADV_IND);
    packet(&meter, 105, 37, YS_LINK_ADV_IND);
    assert_int_equal(meter.silence, YS_SILENCE_EVENTS);
    assert_int_equal(meter.silence_ns, (105 - 1) * 1000000 - 100000);
    packet(&meter, 106, 37, YS_LINK_CONNECT_IND);
    packet(&meter, 2106, 37, YS_LINK_ADV_IND);
    assert_int_equal(meter.silence, YS_SILENCE_CONNECTED);
    assert_int_equal(meter.silence_from_ns, 105100000);
    packet(&meter, 5106, 37, YS_LINK_ADV_IND); /* nobody had connected */
    assert_int_equal(meter.silence, YS_SILENCE_STOPPED);
    assert_int_equal(meter.intervals_ms.count, 2); /* not the one across the connection */
    ys_advertising_meter_end(&meter, UINT64_C(5206000000));
    assert_int_equal(meter.silence_from_ns, 2106100000); /* the end of the watch is no silence */
    ys_advertising_meter_end(&meter, UINT64_C(9106000000));
    assert_int_equal(meter.silence_from_ns, 5106100000); /* but this is */
    ys_advertising_meter_free(&meter);
}

/* A device is watched for 60 s, in which a central connects twice, each time for 3 s. */
static void the_longest_silence_is_what_the_policy_lets_it_be(void **state)
{
    static const struct {
        const char *definition;
        enum ys_silence silence;
        double least_ms;
        double greatest_ms;
        const char *advice;
    } cases[] = {
#define DEVICE_OF(limit, more)                                                                                         \
    "device: {name: T2, limits: {connections: " limit "}}\nservices: []\nexpect: [{max silence: 1 s}]\n"               \
    "advertising: {interval: 100 ms" more "}\n"
        {DEVICE_OF("2", ""), YS_SILENCE_EVENTS, 100, 115, ""},
        {DEVICE_OF("1", ""), YS_SILENCE_CONNECTED, 2900, 3300, "make room for another connection"},
        {DEVICE_OF("1", ", findable: always"), YS_SILENCE_EVENTS, 100, 115, ""},
        {DEVICE_OF("2", ", findable: until connected"), YS_SILENCE_CONNECTED, 39000, 41000, "make room"},
        {DEVICE_OF("2", ", duration: 30 s"), YS_SILENCE_STOPPED, 29000, 31000, "let it advertise without an end"},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        struct ys_design *design = read_text(cases[i].definition);
        struct ys_interval_report report;
        struct ys_verdict verdict;
        run(design, 60, 1, 1, "constant", &report);
        double silence_ms = (double)report.air.silence_ns / 1e6;
        if (silence_ms < cases[i].least_ms || silence_ms > cases[i].greatest_ms)
            print_error("case %zu: %f ms\n", i, silence_ms);
        assert_int_equal(report.air.silence, cases[i].silence);
        assert_true(silence_ms >= cases[i].least_ms && silence_ms <= cases[i].greatest_ms);
        ys_interval_judge(design, design->expectations, &report, &verdict);
        assert_int_equal(verdict.met, cases[i].silence == YS_SILENCE_EVENTS);
        assert_memory_equal(verdict.advice, cases[i].advice, strlen(cases[i].advice));
        /* who is always to be found asks nobody to connect while it cannot */
        assert_int_equal(report.air.packets[YS_LINK_ADV_SCAN_IND] > 0, i == 2);
        ys_interval_report_free(&report);
        ys_design_free(design);
    }
}

/* What sets do: counted by what they are, with nothing left over. */
static void extended_sets_are_measured_from_the_air(void **state)
{
    static const struct {
        const char *more;
        uint8_t primary_an_event;
        uint8_t chained_an_event;
        bool asked;
        bool connects;
    } cases[] = {
        {", extended: true", 3, 0, false, true},
        {", extended: true, phy: 2M, channels: [37, 39]", 2, 0, false, true},
        {", extended: true, kind: scannable, primary phy: coded, phy: coded", 3, 0, true, false},
        {", extended: true, kind: beacon, anonymous: true, data: [name, {structure: {type: 0xFF, value: %s}}, "
         "{structure: {type: 0xFF, value: %s}}]",
         3, 1, false, false},
        {", extended: true, kind: beacon, data: []", 3, 0, false, false}, /* its address is all, in the first packets */
    };
    char bytes[2 * 200 + 1];
    (void)state;
    memset(bytes, 'a', sizeof bytes - 1);
    bytes[sizeof bytes - 1] = '\0';
    for (size_t i = 0; i < COUNT(cases); i++) {
        char more[1200];
        char text[1400];
        struct ys_interval_report report;
        (void)snprintf(more, sizeof more, cases[i].more, bytes, bytes);
        (void)snprintf(text, sizeof text, "device: {name: T2}\nservices: []\nadvertising: {interval: 100 ms%s}\n",
                       more);
        struct ys_design *design = read_text(text);
        assert_int_equal(design->findings.errors, 0);
        run(design, 60, 1, 1, "constant", &report);
        struct ys_advertising_meter *air = &report.air;
        assert_in_range(air->events, 560, 580);
        assert_true(ys_samples_quantile(&air->intervals_ms, 0) >= 100);
        assert_true(ys_samples_quantile(&air->intervals_ms, 1) <= 110);
        /* one event may be under way at the end */
        assert_in_range(air->packets[YS_PACKET_EXT_IND], (air->events - 1) * cases[i].primary_an_event,
                        air->events * cases[i].primary_an_event);
        bool pointed = i + 1 < COUNT(cases);
        assert_int_equal(air->packets[YS_PACKET_AUX_ADV_IND], pointed ? air->events : 0);
        assert_in_range(air->packets[YS_PACKET_AUX_CHAIN_IND], (air->events - 1) * cases[i].chained_an_event,
                        air->events * cases[i].chained_an_event);
        assert_int_equal(air->packets[YS_PACKET_AUX_SCAN_REQ] > 0, cases[i].asked);
        assert_int_equal(air->packets[YS_PACKET_AUX_SCAN_REQ], air->packets[YS_PACKET_AUX_SCAN_RSP]);
        assert_int_equal(report.connections, cases[i].connects ? 2 : 0);
        assert_int_equal(air->packets[YS_PACKET_AUX_CONNECT_REQ], report.connections);
        assert_int_equal(air->packets[YS_PACKET_AUX_CONNECT_RSP], report.connections);
        assert_int_equal(air->silence, YS_SILENCE_EVENTS);
        ys_interval_report_free(&report);
        ys_design_free(design);
    }
}

/* searches */

/* A scanner and an advertiser by arithmetic alone: event after event, until a packet begins and ends in a window on its
 * channel. `first_us` is the time of the first event after the scanner's beginning. */
static double search_by_hand(struct ys_chance *chance, double interval_us, uint8_t channels, double packet_us,
                             double spacing_us, double known_us, double window_us, double scan_us)
{
    double at_us = -(double)ys_chance_below(chance, (uint32_t)interval_us + 5000) - 20 * interval_us;
    for (;;) {
        int sent = 0;
        for (int channel = 0; channel < 3; channel++) {
            double begins_us = at_us + sent * spacing_us;
            if ((channels >> channel & 1) == 0)
                continue;
            sent++;
            double turn = floor(begins_us / scan_us);
            double into_us = begins_us - turn * scan_us;
            if (begins_us >= 0 && (long)turn % 3 == channel && into_us + packet_us <= window_us)
                return (known_us > 0 ? at_us + known_us : begins_us + packet_us) / 1000;
        }
        at_us += interval_us + ys_chance_below(chance, 10001);
        if (at_us > 60e6)
            return INFINITY;
    }
}

#define BY_HAND  20000
#define SEARCHES 1500

/* The greatest difference between two distributions (Kolmogorov and Smirnov). */
static double difference(struct ys_samples *one, size_t one_count, struct ys_samples *other, size_t other_count)
{
    double greatest = 0;
    for (size_t i = 1; i <= one_count; i++) {
        double at = ys_samples_quantile(one, (double)i / (double)one_count) + 1e-6;
        double share = (double)ys_samples_within(one, at) / (double)one_count;
        double others = (double)ys_samples_within(other, at) / (double)other_count;
        greatest = fmax(greatest, fabs(share - others));
    }
    return greatest;
}

static void searches_take_as_long_as_arithmetic_says(void **state)
{
    static const struct {
        const char *definition;
        const char *scanner;
        double packet_us;
        double spacing_us;
        uint8_t channels;
        double known_us;
    } cases[] = {
        {CONNECTABLE("100 ms"), "constant", 152, 468, 7, 0},
        {CONNECTABLE("20 ms"), "tenth", 152, 468, 7, 0},
        {CONNECTABLE("152.5 ms"), "30 ms of 100 ms", 152, 468, 7, 0},
        {CONNECTABLE("417.5 ms"), "half", 152, 468, 7, 0},
        {BEACON("1 s"), "40 ms of 400 ms", 168, 318, 7, 0},
        {BEACON("100 ms"), "hundredth", 168, 318, 7, 0},
        {CONNECTABLE("100 ms, channels: [38]"), "half", 152, 0, 2, 0},
        {CONNECTABLE("100 ms, channels: [37, 39]"), "tenth", 152, 468, 5, 0},
        /* what points to the rest is 9 bytes long; that begins 330 us after the last, with 17 bytes of flags and name
         * after its header of 2 */
        {CONNECTABLE("100 ms, extended: true"), "tenth", 136, 286, 7, 3 * 136 + 2 * 150 + 330 + 216},
        {CONNECTABLE("100 ms, extended: true, primary phy: coded, phy: 2M"), "half", 1168, 1318, 7,
         3 * 1168 + 2 * 150 + 330 + 112},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        struct ys_design *design = read_text(cases[i].definition);
        struct ys_interval_report report;
        struct ys_samples by_hand = {.count = 0};
        struct ys_chance chance = ys_chance_of(4, i);
        run(design, 10, SEARCHES, 2, cases[i].scanner, &report);
        struct ys_search *search = &report.searches[0];
        double interval_us = (double)design->sets->interval_min_us;
        assert_int_equal(search->calculated_of.packet_us, (uint32_t)cases[i].packet_us);
        assert_int_equal(search->calculated_of.spacing_us, (uint32_t)cases[i].spacing_us);
        assert_int_equal(search->calculated_of.known_us, (uint32_t)cases[i].known_us);
        for (size_t j = 0; j < BY_HAND; j++) {
            double found_ms =
                search_by_hand(&chance, interval_us, cases[i].channels, cases[i].packet_us, cases[i].spacing_us,
                               cases[i].known_us, search->scanner.window_us, search->scanner.interval_us);
            if (found_ms < YS_SEARCH_MS)
                ys_samples_add(&by_hand, found_ms);
        }
        /* one in a thousand is further apart than that */
        double limit = 1.95 * sqrt(1.0 / SEARCHES + 1.0 / BY_HAND);
        double is = difference(&search->found_ms, SEARCHES, &by_hand, BY_HAND);
        if (is >= limit)
            print_error("case %zu: %.4f of %.4f\n", i, is, limit);
        assert_true(is < limit);
        /* and the calculation of the report against the same */
        struct ys_discovery_expectation unused;
        for (int tenth = 1; tenth < 10; tenth += 2) {
            double at_ms = ys_samples_quantile(&by_hand, tenth / 10.0);
            double within = ys_discovery_expect(&search->calculated_of, at_ms + 1, at_ms + 0.5, &unused);
            double counted = (double)ys_samples_within(&by_hand, at_ms + 0.5) / BY_HAND;
            assert_true(fabs(within - counted) < 0.015);
        }
        ys_samples_free(&by_hand);
        ys_interval_report_free(&report);
        ys_design_free(design);
    }
}

/* With loss, at any phase of the scanner, and among others whose intervals are unlike: the shares found within round
 * times are those calculated. */
static void hard_searches_find_the_share_that_is_calculated(void **state)
{
    static const struct {
        const char *definition;
        struct ys_interval_plan plan;
        double error; /* of the calculation itself, which reckons each collision by itself */
    } cases[] = {
        {CONNECTABLE("100 ms"), {.loss = 0.3}, 0},
        {CONNECTABLE("100 ms"), {.any_phase = true}, 0},
        {CONNECTABLE("100 ms"), {.any_phase = true, .loss = 0.6}, 0},
        {CONNECTABLE("100 ms"), {.bit_errors = 0.004}, 0},
        {CONNECTABLE("100 ms"), {.crowd = 60, .crowd_interval_us = 70000, .any_phase = true}, 0.03},
        {CONNECTABLE("100 ms, extended: true"), {.loss = 0.3}, 0},
        {CONNECTABLE("100 ms, extended: true"), {.bit_errors = 0.004, .any_phase = true}, 0},
        /* what the first packets point to is on other channels than those of the crowd */
        {CONNECTABLE("100 ms, extended: true"), {.crowd = 60, .crowd_interval_us = 70000, .any_phase = true}, 0.03},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        struct ys_design *design = read_text(cases[i].definition);
        struct ys_interval_plan plan = cases[i].plan;
        struct ys_interval_report report;
        plan.design = design;
        plan.seconds = 1;
        plan.runs = plan.crowd > 0 ? 120 : 400;
        plan.seed = 5;
        plan.scanners = ys_scanners;
        plan.scanner_count = 3;
        plan.threads = 2;
        assert_true(ys_interval_run(&plan, &report));
        for (size_t k = 0; k < report.search_count; k++) {
            const struct ys_search *search = &report.searches[k];
            assert_int_equal(search->crowded, plan.crowd > 0);
            assert_true(search->agrees || search->crowded);
            for (size_t at = 0; at < YS_ROUND_TIMES; at++)
                assert_true(fabs(search->found_within[at] - search->calculated_within[at]) <=
                            3.5 * search->error_within[at] + 0.002 + cases[i].error);
        }
        ys_interval_report_free(&report);
        ys_design_free(design);
    }
}

static void searches_come_out_the_same_on_any_number_of_cores(void **state)
{
    struct ys_design *design = read_text(CONNECTABLE("100 ms"));
    struct ys_interval_report one;
    (void)state;
    run(design, 1, 50, 1, "tenth", &one);
    for (unsigned threads = 2; threads <= 7; threads += 5) {
        struct ys_interval_report other;
        run(design, 1, 50, threads, "tenth", &other);
        assert_int_equal(other.searches[0].found_ms.count, 50);
        assert_memory_equal(one.searches[0].found_ms.values, other.searches[0].found_ms.values, 50 * sizeof(double));
        ys_interval_report_free(&other);
    }
    ys_interval_report_free(&one);
    ys_design_free(design);
}

/* expectations */

static void expectations_are_judged_and_the_advice_is_good(void **state)
{
    static const struct {
        const char *definition;
        bool met;
        const char *advice; /* its beginning */
    } cases[] = {
        {CONNECTABLE("1 s") "expect: [{found within: 2 s, scanner: half, probability: 80 %}]\n", false,
         "an interval of 810 ms would do"},
        {CONNECTABLE("810 ms") "expect: [{found within: 2 s, scanner: half, probability: 80 %}]\n", true, ""},
        {CONNECTABLE("100 ms") "expect: [{found within: 10 ms, scanner: hundredth}]\n", false,
         "no interval that is allowed"},
        {CONNECTABLE("100 ms") "expect: [{interval: [100 ms, 110 ms]}]\n", true, ""},
        {CONNECTABLE("100 ms") "expect: [{interval: [100 ms, 105 ms]}]\n", false,
         "the standard adds up to 10 ms to each interval: set at most 95 ms"},
        {CONNECTABLE("100 ms") "expect: [{interval: [150 ms, 500 ms]}]\n", false, "set an interval of at least 150 ms"},
        {CONNECTABLE("100 ms") "expect: [{max silence: 115 ms}]\n", true, ""},
        {CONNECTABLE("100 ms") "expect: [{max silence: 90 ms}]\n", false, "the interval is 100 ms"},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        struct ys_design *design = read_text(cases[i].definition);
        struct ys_interval_report report;
        struct ys_verdict verdict;
        const struct ys_expectation *expectation = design->expectations;
        run(design, 30, 400, 2, expectation->kind == YS_EXPECT_FOUND ? expectation->by.name : "half", &report);
        ys_interval_judge(design, expectation, &report, &verdict);
        if (verdict.met != cases[i].met || strncmp(verdict.advice, cases[i].advice, strlen(cases[i].advice)) != 0)
            print_error("case %zu: %s: %s; %s\n", i, verdict.expected, verdict.measured, verdict.advice);
        assert_int_equal(verdict.met, cases[i].met);
        assert_memory_equal(verdict.advice, cases[i].advice, strlen(cases[i].advice));
        assert_int_equal(verdict.advice[0] == '\0', verdict.met);
        ys_interval_report_free(&report);
        ys_design_free(design);
    }
}

static void scanners_are_named_or_written(void **state)
{
    static const struct {
        const char *text;
        uint32_t window_us;
        uint32_t interval_us;
    } cases[] = {
        {"half", 30000, 60000},
        {"hundredth", 12500, 1250000},
        {"30 ms of 100 ms", 30000, 100000},
        {"2.5 ms of 2.5 ms", 2500, 2500},
        {"10240 ms of 10240 ms", 10240000, 10240000},
        {"2 ms of 100 ms", 0, 0}, /* too short */
        {"100 ms of 30 ms", 0, 0},
        {"30 ms of 100 s", 0, 0},
        {"30 of 100", 0, 0},
        {"30 ms of 100 ms ", 0, 0},
        {"30.1 ms of 100 ms", 0, 0},
        {"10 ms of 10241.25 ms", 0, 0},
        {"halve", 0, 0},
        {"", 0, 0},
        {"nan ms of nan ms", 0, 0},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        struct ys_scanner scanner;
        bool good = ys_scanner_of(cases[i].text, &scanner);
        assert_int_equal(good, cases[i].window_us > 0);
        if (good) {
            assert_int_equal(scanner.window_us, cases[i].window_us);
            assert_int_equal(scanner.interval_us, cases[i].interval_us);
        }
    }
}

static void figures_and_expectations_that_make_no_sense_are_named(void **state)
{
    static const struct wrong wrong[] = {
        {CONNECTABLE("1 s") "energy: {standby: 2, transmit: 5 mA, receive: 5 mAh}\n",
         "4:19 error: standby must be a number with its unit, such as 1.9 uA, not \"2\"\n"
         "4:47 error: receive must be a number with its unit, such as 5.4 mA, not \"5 mAh\"\n"},
        {CONNECTABLE("1 s") "energy: {standby: -1 uA, transmit: 5 mA, receive: 5 mA}\n",
         "4:19 error: standby must be a number with its unit, such as 1.9 uA, not \"-1 uA\"\n"},
        {CONNECTABLE("1 s") "expect: [{scanner: half}]\n",
         "4:11 error: the expectation is missing: found within, interval, or max silence\n"},
        {CONNECTABLE("1 s") "expect: [{interval: [2 s, 1 s]}]\n", "4:22 error: the minimum interval comes first\n"},
        {CONNECTABLE("1 s") "expect: [{max silence: 2 s, probability: 5 %}]\n",
         "4:11 error: by and in belong to found within\n"},
        {CONNECTABLE("1 s") "expect: [{max silence: 2 s, found within: 2 s}]\n",
         "4:43 error: one item is one expectation: begin the next item with a dash\n"},
        {CONNECTABLE("1 s") "expect: [{max silence: 2 s, advertising set: locator}]\n",
         "4:46 error: unknown advertising set \"locator\": use a name from advertising:\n"},
        {CONNECTABLE("1 s") "expect: [{found within: 61 s}]\n",
         "4:11 error: found within must be more than 0 and at most 60 s, the length of a search\n"},
        {CONNECTABLE("1 s") "expect: [{found within: 1 s, probability: 101 %}]\n",
         "4:43 error: in must be a share, such as 99 %, not \"101 %\"\n"},
        {CONNECTABLE("1 s") "expect: [{found within: 1 s, by: anybody}]\n",
         "4:30 error: this key of an expectation is not known: \"by\"; there are found within, scanner, probability, "
         "interval, advertising set, max silence\n"},
    };
    (void)state;
    assert_wrong(wrong, COUNT(wrong));
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(extended_sets_are_measured_from_the_air),
        cmocka_unit_test(each_interval_is_what_was_set_and_up_to_10_ms_more),
        cmocka_unit_test(a_silence_has_its_reason),
        cmocka_unit_test(the_longest_silence_is_what_the_policy_lets_it_be),
        cmocka_unit_test(searches_take_as_long_as_arithmetic_says),
        cmocka_unit_test(hard_searches_find_the_share_that_is_calculated),
        cmocka_unit_test(searches_come_out_the_same_on_any_number_of_cores),
        cmocka_unit_test(expectations_are_judged_and_the_advice_is_good),
        cmocka_unit_test(scanners_are_named_or_written),
        cmocka_unit_test(figures_and_expectations_that_make_no_sense_are_named),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
