/* Streams between whole devices: what they reach, what holds them back, and what becomes of them when the link changes
 * under them or dies; and the verbs throughput, sweep and compare, as a person calls them. */
#include "support/check.h"

#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <jansson.h>
#include <yarnswift/link.h>

#include "experiment/hindrances.h"
#include "experiment/throughput.h"
#include "support/pair.h"
#include "support/run.h"
#include "support/sample.h"

#define WRENCH " \"" YARNSWIFT_ROOT "/examples/torque_wrench/torque_wrench.device.yaml\" "

static const struct ys_throughput_plan usual = {.carrier = YS_CARRIER_STREAM,
                                                .value_bytes = 200,
                                                .phy = YS_PHY_2M,
                                                .central_phy = YS_PHY_2M,
                                                .packet_length = 251,
                                                .mtu = 247,
                                                .interval_us = 30000,
                                                .buffers = 8,
                                                .seconds = 3,
                                                .seed = 1};

static void assert_well(const struct ys_throughput_report *report)
{
    assert_string_equal(report->trouble, "");
    assert_int_equal(report->missing, 0);
    assert_int_equal(report->out_of_order, 0);
}

static void each_way_to_travel_reaches_its_limit(void **state)
{
    (void)state;
    for (int carrier = 0; carrier < YS_CARRIERS; carrier++) {
        for (int encrypted = 0; encrypted < 2; encrypted++) {
            struct ys_throughput_plan plan = usual;
            struct ys_throughput_report report;
            plan.carrier = (enum ys_carrier)carrier;
            plan.encrypted = encrypted != 0;
            assert_true(ys_throughput_run(&plan, &report));
            assert_well(&report);
            if (report.ratio < 0.99 || report.ratio > 1.0001)
                (void)printf("%s: %f of the limit\n", ys_carrier_names[carrier], report.ratio);
            assert_true(report.ratio >= 0.99 && report.ratio <= 1.0001);
            assert_int_equal(report.air.sides[0].retransmissions + report.air.sides[1].retransmissions, 0);
            assert_true(ys_samples_quantile(&report.latency_ms, 0) > 0);
            ys_throughput_free(&report);
        }
    }
}

/* Vol 6 Part B 4.5.9. */
static void a_lossy_stream_arrives_whole_and_in_order(void **state)
{
    (void)state;
    for (int carrier = 0; carrier < YS_CARRIERS; carrier++) {
        struct ys_throughput_plan plan = usual;
        struct ys_throughput_report report;
        plan.carrier = (enum ys_carrier)carrier;
        plan.loss = 0.2;
        assert_true(ys_throughput_run(&plan, &report));
        assert_well(&report);
        assert_true(report.values > 30);
        assert_true(report.air.sides[report.shape.by_central ? 0 : 1].retransmissions > 5);
        ys_throughput_free(&report);
    }
}

/* Several runs: their mean is what was expected, and none is above it but by chance. */
static void check_carried(struct ys_throughput_plan plan, const char *what)
{
    unsigned seeds = getenv("YARNSWIFT_EVERY_LINK") != NULL ? 8 : getenv("YARNSWIFT_FEW") != NULL ? 1 : 3;
    double sum = 0;
    double error = 0;
    plan.seconds = 8;
    for (uint64_t seed = 1; seed <= seeds; seed++) {
        struct ys_throughput_report report;
        plan.seed = seed;
        assert_true(ys_throughput_run(&plan, &report));
        assert_well(&report);
        sum += report.ratio;
        if (report.ratio > 1.002 + 4 * report.error)
            (void)printf("%s, seed %u: %f of the limit, give or take %f\n", what, (unsigned)seed, report.ratio,
                         report.error);
        assert_true(report.ratio <= 1.002 + 4 * report.error);
        error = report.error / sqrt(seeds);
        ys_throughput_free(&report);
    }
    double mean = sum / seeds;
    if (fabs(mean - 1) > 4 * error + 0.004)
        (void)printf("%s: %f of the limit, give or take %f\n", what, mean, error);
    assert_true(fabs(mean - 1) <= 4 * error + 0.004);
}

/* Vol 6 Part B 4.5.6, 4.5.9. */
static void with_loss_a_stream_carries_what_the_walk_expects(void **state)
{
    static const struct {
        const char *what;
        struct ys_throughput_plan change;
    } cases[] = {
        {"frames of several packets", {.packet_length = 27, .mtu = 185, .loss = 0.1}},
        {"frames of two packets", {.packet_length = 251, .mtu = 300, .loss = 0.05}},
        {"indications", {.carrier = YS_CARRIER_INDICATIONS, .loss = 0.1}},
        {"requests", {.carrier = YS_CARRIER_REQUESTS, .loss = 0.1}},
        {"requests of several packets", {.carrier = YS_CARRIER_REQUESTS, .packet_length = 27, .loss = 0.1}},
        {"requests with latency", {.carrier = YS_CARRIER_REQUESTS, .latency = 4, .loss = 0.1}},
        {"commands with latency", {.carrier = YS_CARRIER_COMMANDS, .latency = 4, .loss = 0.2}},
        {"wrong bits", {.bit_errors = 2e-4}},
        {"wrong bits of short packets", {.packet_length = 69, .mtu = 65, .bit_errors = 5e-4}},
        {"both ways", {.both = true, .loss = 0.1}},
        {"at the edge", {.distance_m = 280}},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        const struct ys_throughput_plan *change = &cases[i].change;
        struct ys_throughput_plan plan = usual;
        plan.carrier = change->carrier;
        plan.packet_length = change->packet_length > 0 ? change->packet_length : plan.packet_length;
        plan.mtu = change->mtu > 0 ? change->mtu : plan.mtu;
        plan.latency = change->latency;
        plan.loss = change->loss;
        plan.bit_errors = change->bit_errors;
        plan.both = change->both;
        plan.distance_m = change->distance_m;
        plan.buffers = 64;
        plan.device = ys_hardware_of_device;
        plan.central = ys_hardware_of_central;
        check_carried(plan, cases[i].what);
    }
}

static void both_ways_and_unlike_phys_reach_their_limits(void **state)
{
    (void)state;
    for (int carrier = YS_CARRIER_STREAM; carrier <= YS_CARRIER_COMMANDS; carrier++) {
        for (int phy = YS_PHY_1M; phy <= YS_PHY_CODED_S8; phy++) {
            struct ys_throughput_plan plan = usual;
            struct ys_throughput_report report;
            plan.carrier = (enum ys_carrier)carrier;
            plan.both = carrier != YS_CARRIER_INDICATIONS;
            plan.central_phy = (enum ys_phy)phy;
            plan.seconds = 5;
            plan.interval_us = 60000;
            assert_true(ys_throughput_run(&plan, &report));
            assert_well(&report);
            assert_in_range((uint64_t)(1000 * report.ratio), 985, 1010);
            if (plan.both)
                assert_in_range((uint64_t)(1000 * report.back_bps / report.back_limit_bps), 985, 1010);
            ys_throughput_free(&report);
        }
    }
}

static void several_links_share_what_one_would_carry(void **state)
{
    (void)state;
    for (uint8_t links = 2; links <= 4; links++) {
        struct ys_throughput_plan plan = usual;
        struct ys_throughput_report report;
        plan.links = links;
        plan.seconds = 6;
        assert_true(ys_throughput_run(&plan, &report));
        assert_well(&report);
        assert_int_equal(report.links, links);
        assert_true(report.ratio >= 0.97 && report.ratio <= 1.002);
        for (size_t i = 0; i < links; i++)
            assert_true(report.shares[i].goodput_bps * links * 2 > report.goodput_bps);
        ys_throughput_free(&report);
    }
}

/* From when a value changed, which has nothing to do with when events are. */
static void a_single_value_takes_as_long_as_is_calculated(void **state)
{
    static const struct {
        enum ys_carrier carrier;
        uint8_t packet_length;
        uint32_t event_length_us;
        uint16_t latency;
        struct ys_hardware device;
    } cases[] = {
        {YS_CARRIER_NOTIFICATIONS, 251, 0, 0, {.thinks_us = 0}},
        {YS_CARRIER_STREAM, 251, 0, 0, {.thinks_us = 0}},
        {YS_CARRIER_NOTIFICATIONS, 27, 1250, 0, {.thinks_us = 0}}, /* a packet or two to an event */
        {YS_CARRIER_INDICATIONS, 27, 0, 0, {.thinks_us = 0}},
        {YS_CARRIER_REQUESTS, 251, 0, 4, {.thinks_us = 0}},
        {YS_CARRIER_NOTIFICATIONS, 251, 0, 0, {.line_bps = 115200}},
        {YS_CARRIER_REQUESTS, 251, 0, 0, {.thinks_us = 20000}},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        struct ys_throughput_plan plan = usual;
        struct ys_throughput_report report;
        plan.carrier = cases[i].carrier;
        plan.packet_length = cases[i].packet_length;
        plan.event_length_us = cases[i].event_length_us;
        plan.latency = cases[i].latency;
        plan.device = cases[i].device;
        plan.seconds = 1;
        assert_true(ys_throughput_run(&plan, &report));
        double attended_ms = plan.interval_us / 1000.0 * (report.shape.by_central ? 1 + plan.latency : 1);
        double median_ms = ys_samples_quantile(&report.alone_ms, 0.5);
        double most_ms = ys_samples_quantile(&report.alone_ms, 1);
        if (fabs(median_ms - report.alone.median_ms) > 0.2 * attended_ms || most_ms > report.alone.max_ms + 1 ||
            most_ms < report.alone.max_ms - 0.1 * attended_ms)
            (void)printf("case %zu: %.1f and %.1f ms, where %.1f and %.1f were calculated\n", i, median_ms, most_ms,
                         report.alone.median_ms, report.alone.max_ms);
        assert_true(fabs(median_ms - report.alone.median_ms) <= 0.2 * attended_ms);
        assert_true(most_ms <= report.alone.max_ms + 1 && most_ms >= report.alone.max_ms - 0.1 * attended_ms);
        ys_throughput_free(&report);
    }
}

/* Quick hardware and slow: it shows in what goes through, and in how long a value takes. */
static void slow_hardware_shows(void **state)
{
    static const struct {
        struct ys_hardware device;
        struct ys_hardware central;
    } slower[] = {
        {{.character = NULL}, {.character = NULL}},
        {{.character = ys_characters, .thinks_us = 100}, {.character = ys_characters, .thinks_us = 1000}},
        {{.character = ys_characters, .thinks_us = 100, .line_bps = 1000000},
         {.character = ys_characters, .thinks_us = 50000}},
        {{.character = ys_characters, .thinks_us = 100, .line_bps = 115200},
         {.character = ys_characters, .thinks_us = 100000}},
    };
    double goodput_bps[2] = {INFINITY, INFINITY};
    double took_ms[2] = {0, 0};
    (void)state;
    for (size_t i = 0; i < COUNT(slower); i++) {
        for (int confirmed = 0; confirmed < 2; confirmed++) {
            struct ys_throughput_plan plan = usual;
            struct ys_throughput_report report;
            plan.carrier = confirmed ? YS_CARRIER_INDICATIONS : YS_CARRIER_STREAM;
            plan.device = slower[i].device;
            plan.central = slower[i].central;
            plan.seconds = 10;
            assert_true(ys_throughput_run(&plan, &report));
            assert_well(&report);
            assert_in_range((uint64_t)(1000 * report.ratio), 980, 1010);
            assert_true(report.goodput_bps < goodput_bps[confirmed] || (i == 1 && !confirmed));
            assert_true(report.alone.median_ms > took_ms[confirmed]);
            goodput_bps[confirmed] = report.goodput_bps;
            took_ms[confirmed] = report.alone.median_ms;
            ys_throughput_free(&report);
        }
    }
}

static void with_bit_errors_the_best_length_is_better(void **state)
{
    struct ys_throughput_plan plan = usual;
    struct ys_throughput_report report;
    double best_bps;
    (void)state;
    plan.bit_errors = 3e-4;
    plan.seconds = 20;
    assert_true(ys_throughput_run(&plan, &report));
    uint8_t best = ys_link_best_length(&report.shape, &best_bps);
    double as_it_is_bps = report.goodput_bps;
    ys_throughput_free(&report);
    assert_in_range(best, 50, 130);
    plan.packet_length = best;
    plan.mtu = (uint16_t)(best - 4);
    assert_true(ys_throughput_run(&plan, &report));
    assert_true(report.goodput_bps > 1.2 * as_it_is_bps);
    assert_true(fabs(report.goodput_bps / best_bps - 1) < 4 * report.error + 0.01);
    ys_throughput_free(&report);
}

/* What holds it back is found, and first what holds it back most. */
static void what_holds_it_back_is_found_by_running_without(void **state)
{
    static const struct {
        const char *code;
        struct ys_throughput_plan change; /* where a field is not 0 */
    } cases[] = {
        {"packet_length", {.packet_length = 27}},
        {"mtu", {.mtu = 23}},
        {"frame_length", {.mtu = 300}},
        {"interval_end", {.interval_us = 7500}},
        {"event_length", {.event_length_us = 5000}},
        {"loss", {.loss = 0.3}},
        {"spacing", {.carrier = YS_CARRIER_NOTIFICATIONS, .spacing_ms = 50, .value_bytes = 244}},
        {"value_length", {.carrier = YS_CARRIER_NOTIFICATIONS, .value_bytes = 2}},
        {"acknowledgement", {.carrier = YS_CARRIER_INDICATIONS, .value_bytes = 244}},
        {"acknowledgement", {.carrier = YS_CARRIER_REQUESTS, .value_bytes = 244}},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        const struct ys_throughput_plan *change = &cases[i].change;
        struct ys_throughput_plan plan = usual;
        struct ys_throughput_report report;
        struct ys_hindrance hindrances[YS_HINDRANCES_MOST];
        plan.carrier = change->carrier;
        plan.packet_length = change->packet_length != 0 ? change->packet_length : plan.packet_length;
        plan.mtu = change->mtu != 0 ? change->mtu : plan.mtu;
        plan.interval_us = change->interval_us != 0 ? change->interval_us : plan.interval_us;
        plan.event_length_us = change->event_length_us;
        plan.loss = change->loss;
        plan.spacing_ms = change->spacing_ms;
        plan.value_bytes = change->value_bytes != 0 ? change->value_bytes : plan.value_bytes;
        assert_true(ys_throughput_run(&plan, &report));
        size_t count = ys_throughput_explain(&plan, &report, hindrances);
        assert_true(count > 0);
        assert_string_equal(hindrances[0].code, cases[i].code);
        assert_true(hindrances[0].goodput_bps > 1.01 * report.goodput_bps);
        for (size_t j = 1; j < count; j++)
            assert_true(hindrances[j].goodput_bps <= hindrances[j - 1].goodput_bps);
        ys_throughput_free(&report);
    }
}

static void few_buffers_hold_back_what_many_do_not(void **state)
{
    struct ys_throughput_plan plan = usual;
    struct ys_throughput_report report;
    (void)state;
    plan.carrier = YS_CARRIER_NOTIFICATIONS;
    plan.buffers = 2;
    plan.value_bytes = 509;
    plan.mtu = 512;
    assert_true(ys_throughput_run(&plan, &report)); /* a frame needs three of them: the MTU is what two hold */
    assert_well(&report);
    assert_int_equal(report.shape.value_bytes, 2 * 251 - 4 - 3);
    ys_throughput_free(&report);
}

/* The same stream, whatever is changed under it. */

static struct pair pair;
static uint8_t values[SAMPLE_VALUES_SIZE];
static struct sample sample;
static struct ys_links links[3];
static struct ys_stream stream;
static uint8_t ring[2000];
static uint32_t appended;
static uint32_t arrived;
static bool in_order;

static void use_links(struct pair *whose, struct end *end)
{
    size_t i = end == &whose->peripheral ? 0 : end == &whose->central ? 1 : 2;
    assert_int_equal(ys_host_use_links(&end->host, &links[i], NULL), YS_OK);
}

static void begin_stream(void)
{
    memset(&pair, 0, sizeof pair);
    memset(&stream, 0, sizeof stream);
    sample = (struct sample){.number = 1};
    appended = arrived = 0;
    in_order = true;
    pair.sets = 1;
    pair.prepare = use_links;
    static const struct ys_advertising advertising = {.interval_min_us = 20000, .interval_max_us = 20000};
    pair_begin(&pair, 1, &sample_table, &sample, values, NULL);
    assert_int_equal(ys_stream_open(&pair.peripheral.host, &stream, 20, ring, sizeof ring), YS_OK);
    assert_int_equal(ys_advertise(&pair.peripheral.host, &advertising), YS_OK);
}

static void take(struct ys_host *host, void *context, const struct ys_event *event)
{
    (void)host;
    (void)context;
    if (event->kind != YS_EVENT_NOTIFICATION)
        return;
    for (uint16_t i = 0; i < event->u.notification.length; i++, arrived++)
        in_order = in_order && event->u.notification.value[i] == (uint8_t)(arrived * 31);
}

static void connect_and_subscribe(void)
{
    struct ys_client_request request = pair_request();
    pair_connect(&pair, &pair.central, 15000);
    pair.central.on_event = take;
    assert_int_equal(pair_wait(&pair, &request,
                               ys_client_subscribe(&pair.central.host, pair.central.connection, &request, 21,
                                                   YS_SUBSCRIBE_NOTIFICATIONS)),
                     YS_OUTCOME_DONE);
}

static void stream_for(uint32_t ms)
{
    for (uint32_t i = 0; i < ms; i++) {
        uint8_t byte = (uint8_t)(appended * 31);
        while (ys_stream_append(&stream, &byte, 1))
            byte = (uint8_t)(++appended * 31);
        pass_ms(&pair, 1);
    }
}

/* Vol 6 Part B 5.1.10. */
static void a_stream_goes_on_through_every_change_of_its_link(void **state)
{
    static const struct ys_link_wishes wishes[] = {
        {.packet_length = 251},
        {.send_phys = YS_2M, .receive_phys = YS_2M},
        {.interval_min_us = 7500, .interval_max_us = 7500, .supervision_timeout_ms = 2000},
        {.send_phys = YS_CODED, .receive_phys = YS_1M},
        {.interval_min_us = 100000, .interval_max_us = 100000, .latency = 3, .supervision_timeout_ms = 4000},
        {.send_phys = YS_1M, .receive_phys = YS_2M},
        {.packet_length = 60},
        {.interval_min_us = 15000, .interval_max_us = 15000, .supervision_timeout_ms = 2000},
    };
    (void)state;
    begin_stream();
    connect_and_subscribe();
    for (size_t i = 0; i < 4 * COUNT(wishes); i++) {
        struct end *end = i / 2 % 2 == 0 ? &pair.central : &pair.peripheral;
        uint32_t before = arrived;
        assert_int_equal(ys_link_ask(&end->host, end->connection, &wishes[i % COUNT(wishes)]), YS_OK);
        stream_for(i % 3 == 0 ? 40 : 1200); /* sometimes it changes its mind before it is done */
        assert_true(in_order);
        assert_true(i % 3 == 0 || arrived > before);
    }
    stream_for(3000);
    pass_ms(&pair, 4000);
    assert_int_equal(arrived, appended);
    pair_end(&pair);
}

static void a_stream_whose_link_dies_goes_on_with_what_was_not_handed_over(void **state)
{
    (void)state;
    begin_stream();
    connect_and_subscribe();
    stream_for(500);
    ys_radio_jam(pair.radio, UINT64_C(0xffffffffff));
    stream_for(5000);
    assert_int_equal(pair.peripheral.counts[YS_EVENT_DISCONNECTED], 1);
    assert_int_equal(pair.central.counts[YS_EVENT_DISCONNECTED], 1);
    uint32_t waits = (uint32_t)sizeof ring - 1 - ys_stream_room(&stream);
    uint32_t gone = appended - waits - arrived; /* in the controller's buffers when it ended, as stream.h says */
    assert_true(in_order && gone <= 8 * 251);
    ys_radio_jam(pair.radio, 0);
    arrived += gone;
    connect_and_subscribe();
    stream_for(1000);
    pass_ms(&pair, 3000);
    assert_true(in_order);
    assert_int_equal(arrived, appended);
    pair_end(&pair);
}

/* the verbs */

static json_t *result_of(const char *arguments, int status)
{
    struct outcome outcome = run_command(arguments);
    assert_int_equal(outcome.status, status);
    json_t *root = json_loads(outcome.out, 0, NULL);
    assert_non_null(root);
    return root;
}

static double number(const json_t *root, const char *name)
{
    const json_t *value = json_object_get(root, name);
    assert_true(json_is_number(value));
    return json_number_value(value);
}

static void throughput_is_told_in_words_and_as_json(void **state)
{
    static const char *const lines[] = {
        "Torvane T2: \"log\" as stream, for 10 s, seed 1",
        "  goodput    1.366 Mbit/s of value",
        "  limit      1.366 Mbit/s by calculation: 100.00 % of it is reached",
        "  delivery   ",
        "all in order, none missing",
        "of which 0 were retransmissions (0.00 %)",
        "  link       2M, packets of 251 bytes, MTU 247, interval 30 ms, not encrypted",
        "interval 400 ms: 1.401 Mbit/s, +2.5 %",
    };
    (void)state;
    struct outcome outcome = run_command("throughput --phy 2M --packet-length 251" WRENCH);
    assert_int_equal(outcome.status, 0);
    assert_string_equal(outcome.err, "");
    for (size_t i = 0; i < COUNT(lines); i++)
        assert_non_null(strstr(outcome.out, lines[i]));
    json_t *root = result_of("throughput --json --loss 5 --encrypted --interval 15" WRENCH, 0);
    assert_true(number(root, "ratio") > 0.9 && number(root, "ratio") < 1.05);
    assert_true(number(root, "goodput_bps") > 100000);
    assert_true(number(root, "retransmissions") > 100);
    assert_true(number(root, "value_bytes") > 100000);
    json_t *latency = json_object_get(root, "latency_ms");
    assert_true(number(latency, "median") <= number(latency, "p95") &&
                number(latency, "p95") <= number(latency, "max"));
    assert_string_equal(
        json_string_value(json_object_get(json_array_get(json_object_get(root, "limited_by"), 0), "cause")),
        "packet_length");
    json_decref(root);
    root = result_of("throughput --json --distance 900" WRENCH, 1);
    assert_true(number(root, "margin_db") < 0);
    assert_non_null(strstr(json_string_value(json_object_get(root, "trouble")), "no connection came about"));
    json_decref(root);
}

static void what_a_stream_cannot_be_is_refused_with_the_range(void **state)
{
    static const struct {
        const char *arguments;
        const char *error;
    } cases[] = {
        {"throughput --phy 3M" WRENCH, "--phy must be 1M, 2M, coded-s2 or coded-s8, not \"3M\""},
        {"throughput --packet-length 26" WRENCH, "--packet-length must be a whole number from 27 to 251"},
        {"throughput --mtu 518" WRENCH, "--mtu must be a whole number from 23 to 517"},
        {"throughput --interval 8" WRENCH, "--interval must be from 7.5 to 4000 ms, in steps of 1.25"},
        {"throughput --loss 91" WRENCH, "--loss must be from 0 to 90 percent"},
        {"throughput --latency 500" WRENCH, "--latency must be a whole number from 0 to 499"},
        {"throughput --latency 100 --interval 1000" WRENCH, "2 x (1 + latency) x interval must be less than 32 s"},
        {"throughput --carrier parcels" WRENCH, "--carrier must be stream, notifications"},
        {"throughput --carrier indications" WRENCH "log", "\"log\" is not offered as indications"},
        {"throughput" WRENCH "nothing", "there is no characteristic \"nothing\""},
        {"throughput" WRENCH "log too", "name one definition and one characteristic"},
        {"throughput --plot a.pdf" WRENCH, "a plot must end in .svg or .png"},
        {"throughput no.device.yaml", "no.device.yaml"},
        {"sweep --interval 15..7.5/1" WRENCH, "which is no range"},
        {"sweep --interval 15,15" WRENCH, "--interval has 15 twice"},
        {"sweep --phy 1M..2M/1" WRENCH, "which is no range"},
        {"sweep --part 0/2" WRENCH, "--part must be I/N"},
        {"sweep --jobs 0" WRENCH, "--jobs must be a whole number"},
        {"sweep --merge a.sqlite", "--merge needs the files"},
        {"sweep --merge --results all.sqlite no.sqlite", "cannot open no.sqlite"},
        {"sweep --mtu 23..500/9 --loss 0,1 --phy 1M,2M --seconds 3600 --plot a.svg" WRENCH, /* it has not begun */
         "a plot shows one or two parameters"},
        {"compare", "name two results"},
        {"compare no.json no.json", "cannot read no.json"},
        {"compare --threshold x no.json no.json", "--threshold must be PERCENT or FIGURE=PERCENT"},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        struct outcome outcome = run_command(cases[i].arguments);
        if (outcome.status != 2 || strstr(outcome.err, cases[i].error) == NULL)
            (void)printf("%s: %d, %s\n", cases[i].arguments, outcome.status, outcome.err);
        assert_int_equal(outcome.status, 2);
        assert_non_null(strstr(outcome.err, cases[i].error));
    }
}

static void a_sweep_does_not_depend_on_how_it_is_split(void **state)
{
    char folder[300];
    char arguments[2400];
    (void)state;
    (void)snprintf(folder, sizeof folder, "%s", scratch_folder("sweeps"));
    (void)snprintf(
        arguments, sizeof arguments,
        "sweep --json --jobs 1 --seconds 1 --mtu 23..247/32 --phy 1M,2M --results \"%s/whole.sqlite\"" WRENCH, folder);
    struct outcome outcome = run_command(arguments);
    assert_int_equal(outcome.status, 0);
    char *whole = strdup(outcome.out);
    for (int part = 1; part <= 3; part++) {
        (void)snprintf(arguments, sizeof arguments,
                       "sweep --seconds 1 --mtu 23..247/32 --phy 1M,2M --part %d/3 --results \"%s/%d.sqlite\"" WRENCH,
                       part, folder, part);
        assert_int_equal(run_command(arguments).status, 0);
    }
    (void)snprintf(arguments, sizeof arguments,
                   "sweep --merge --results \"%s/all.sqlite\" \"%s/1.sqlite\" \"%s/2.sqlite\" \"%s/3.sqlite\"", folder,
                   folder, folder, folder);
    outcome = run_command(arguments);
    assert_int_equal(outcome.status, 0);
    assert_non_null(strstr(outcome.out, "16 results from 3 files"));
    (void)snprintf(
        arguments, sizeof arguments,
        "sweep --json --seconds 1 --mtu 23..247/32 --phy 1M,2M --part 1/1 --results \"%s/all.sqlite\"" WRENCH, folder);
    assert_string_equal(run_command(arguments).out, whole);
    /* another stream does not go into the same file */
    (void)snprintf(arguments, sizeof arguments,
                   "sweep --mtu 23,50 --carrier commands --results \"%s/all.sqlite\"" WRENCH, folder);
    outcome = run_command(arguments);
    assert_int_equal(outcome.status, 2);
    assert_non_null(strstr(outcome.err, "has results of something else"));
    free(whole);
}

static void a_damaged_file_of_results_is_left_as_it_is(void **state)
{
    char arguments[900];
    char path[400];
    (void)state;
    (void)snprintf(path, sizeof path, "%s", scratch_file("damaged.sqlite", "this was never one"));
    (void)snprintf(arguments, sizeof arguments, "sweep --mtu 23,50 --seconds 1 --results \"%s\"" WRENCH, path);
    struct outcome outcome = run_command(arguments);
    assert_int_equal(outcome.status, 2);
    assert_non_null(strstr(outcome.err, "is damaged, or no file of results: it is left as it is"));
    char *text = read_whole(path);
    assert_string_equal(text, "this was never one");
    free(text);
}

/* Interrupted in the middle, it keeps what was done, and goes on from there. */
static void an_interrupted_sweep_goes_on_where_it_was(void **state)
{
    char arguments[2000];
    char folder[300];
    (void)state;
    (void)snprintf(folder, sizeof folder, "%s", scratch_folder("interrupted"));
    (void)snprintf(arguments, sizeof arguments,
                   "timeout -s INT 0.7 \"" YARNSWIFT_COMMAND
                   "\" sweep --seconds 30 --mtu 23..247/2 --results \"%s/r.sqlite\"" WRENCH
                   " > \"%s/out\" 2> \"%s/err\"",
                   folder, folder, folder);
    int status = system(arguments);
    (void)status;
    (void)snprintf(arguments, sizeof arguments, "%s/err", folder);
    char *said = read_whole(arguments);
    assert_non_null(said);
    assert_non_null(strstr(said, "interrupted: what was done is kept; the same command continues from there"));
    free(said);
    (void)snprintf(arguments, sizeof arguments,
                   "sweep --seconds 30 --mtu 23,500 --part 1/2 --results \"%s/r.sqlite\"" WRENCH, folder);
    struct outcome outcome = run_command(arguments);
    assert_int_equal(outcome.status, 0);
    assert_non_null(strstr(outcome.err, "1 of 2 points, 0 of them run now")); /* the first is there */
}

static void results_are_compared_against_thresholds(void **state)
{
    char first[400];
    char arguments[2000];
    (void)state;
    char *one = strdup(run_command("throughput --json" WRENCH).out);
    (void)snprintf(first, sizeof first, "%s", scratch_file("first.json", one));
    const char *second = scratch_file("second.json", run_command("throughput --json --loss 5" WRENCH).out);
    (void)snprintf(arguments, sizeof arguments, "compare \"%s\" \"%s\"", first, second);
    struct outcome outcome = run_command(arguments);
    assert_int_equal(outcome.status, 0);
    assert_non_null(strstr(outcome.out, "goodput_bps"));
    assert_non_null(strstr(outcome.out, "No --threshold"));
    char *paths = strdup(arguments + strlen("compare"));
    (void)snprintf(arguments, sizeof arguments, "compare --threshold goodput_bps=5 %s", paths);
    assert_int_equal(run_command(arguments).status, 1);
    (void)snprintf(arguments, sizeof arguments, "compare --threshold 5 --threshold goodput_bps=50 --json %s", paths);
    json_t *root = result_of(arguments, 1); /* the latency */
    assert_true(number(root, "worse") >= 1);
    json_decref(root);
    (void)snprintf(arguments, sizeof arguments, "compare --threshold 0 --all \"%s\" \"%s\"", first, first);
    outcome = run_command(arguments);
    assert_int_equal(outcome.status, 0);
    assert_non_null(strstr(outcome.out, "Nothing is worse than allowed."));
    (void)snprintf(arguments, sizeof arguments, "compare --threshold seconds=5 %s", paths);
    assert_int_equal(run_command(arguments).status, 2);
    free(paths);
    free(one);
}

/* What must not pass: results of two verbs, a figure that is gone, a stream that never arrived, a search that never
 * ends. */
static void a_comparison_lets_nothing_false_pass(void **state)
{
    static const struct {
        const char *first;
        const char *second;
        const char *options;
        int status;
        const char *says;
    } cases[] = {
        {"{\"kind\": \"throughput\", \"goodput_bps\": 5}", "{\"kind\": \"interval\", \"goodput_bps\": 5}", "", 2,
         "these results are of two kinds, throughput and interval"},
        {"{\"kind\": \"throughput\"}", "{\"goodput_bps\": 5}", "", 2, "of two kinds, throughput and none"},
        {"{\"kind\": \"interval\", \"found_ms\": 5}", "{\"kind\": \"interval\", \"found_ms\": null}", "--threshold 5",
         1, "missing"},
        {"{\"kind\": \"interval\", \"found_ms\": 5}", "{\"kind\": \"interval\", \"found_ms\": null}", "", 0, "-"},
        {"{\"kind\": \"throughput\", \"limited_by\": [{\"cause\": \"phy\", \"goodput_bps\": 5}]}",
         "{\"kind\": \"throughput\", \"limited_by\": []}", "--threshold 5", 0, "Nothing is worse"},
        {"{\"kind\": \"interval\", \"never\": 0}", "{\"kind\": \"interval\", \"never\": 13}", "--threshold 50", 1,
         "worse"},
        {"{\"kind\": \"interval\", \"never\": 13}", "{\"kind\": \"interval\", \"never\": 0}", "--threshold 50", 0,
         "better"},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        char arguments[2000];
        char *first = strdup(scratch_file("gate1.json", cases[i].first));
        (void)snprintf(arguments, sizeof arguments, "compare %s '%s' '%s'", cases[i].options, first,
                       scratch_file("gate2.json", cases[i].second));
        struct outcome outcome = run_command(arguments);
        if (outcome.status != cases[i].status ||
            (strstr(outcome.out, cases[i].says) == NULL && strstr(outcome.err, cases[i].says) == NULL))
            fail_msg("%s against %s: status %d\n%s%s", cases[i].first, cases[i].second, outcome.status, outcome.out,
                     outcome.err);
        free(first);
    }
    /* nothing comes through at such a distance */
    json_t *root = result_of("throughput --json --seconds 1 --distance 4000" WRENCH, 1);
    assert_true(json_is_null(json_object_get(root, "latency_ms")));
    json_decref(root);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(each_way_to_travel_reaches_its_limit),
        cmocka_unit_test(a_lossy_stream_arrives_whole_and_in_order),
        cmocka_unit_test(with_loss_a_stream_carries_what_the_walk_expects),
        cmocka_unit_test(both_ways_and_unlike_phys_reach_their_limits),
        cmocka_unit_test(several_links_share_what_one_would_carry),
        cmocka_unit_test(a_single_value_takes_as_long_as_is_calculated),
        cmocka_unit_test(slow_hardware_shows),
        cmocka_unit_test(with_bit_errors_the_best_length_is_better),
        cmocka_unit_test(what_holds_it_back_is_found_by_running_without),
        cmocka_unit_test(few_buffers_hold_back_what_many_do_not),
        cmocka_unit_test(a_stream_goes_on_through_every_change_of_its_link),
        cmocka_unit_test(a_stream_whose_link_dies_goes_on_with_what_was_not_handed_over),
        cmocka_unit_test(throughput_is_told_in_words_and_as_json),
        cmocka_unit_test(what_a_stream_cannot_be_is_refused_with_the_range),
        cmocka_unit_test(a_comparison_lets_nothing_false_pass),
        cmocka_unit_test(a_sweep_does_not_depend_on_how_it_is_split),
        cmocka_unit_test(a_damaged_file_of_results_is_left_as_it_is),
        cmocka_unit_test(an_interrupted_sweep_goes_on_where_it_was),
        cmocka_unit_test(results_are_compared_against_thresholds),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
