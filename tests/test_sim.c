/* The simulated hardware: clock, chance, radio, and the controller against scripted HCI and the air. */
#include "support/check.h"

#include <stdio.h>
#include <string.h>

#include "measure/advertising.h"
#include "measure/stream.h"
#include "sim/chance.h"
#include "sim/clock.h"
#include "sim/radio.h"
#include "support/bench.h"
#include "support/hex.h"

/* clock */

static char order[64];

static void note(void *context)
{
    strcat(order, context);
}

/* Sets itself again, for a time that goes on or does not. */
struct again {
    struct ys_clock *clock;
    struct ys_timer timer;
    uint64_t step_ns;
    unsigned fired;
};

static void fire_again(void *context)
{
    struct again *again = context;
    again->fired++;
    ys_clock_set(again->clock, &again->timer, ys_clock_now_ns(again->clock) + again->step_ns);
}

static void a_clock_that_does_not_go_on_stands(void **state)
{
    (void)state;
    for (unsigned step_ns = 0; step_ns <= 1; step_ns++) {
        struct again again = {.clock = ys_clock_new(), .step_ns = step_ns, .timer = {.fire = fire_again}};
        again.timer.context = &again;
        ys_clock_set(again.clock, &again.timer, 5);
        ys_clock_run(again.clock, 300000);
        assert_int_equal(ys_clock_stands(again.clock), step_ns == 0);
        assert_in_range(again.fired, step_ns == 0 ? 100000 : 299996, step_ns == 0 ? 102000 : 299996);
        assert_int_equal(ys_clock_now_ns(again.clock), step_ns == 0 ? 5 : 300000);
        ys_clock_free(again.clock);
    }
}

static void timers_fire_in_order_of_time_and_then_of_setting(void **state)
{
    struct ys_clock *clock = ys_clock_new();
    struct ys_timer timers[6];
    static char names[6][2] = {"a", "b", "c", "d", "e", "f"};
    static const uint64_t times[] = {50, 10, 30, 10, 20, 10};
    (void)state;
    order[0] = '\0';
    for (size_t i = 0; i < 6; i++) {
        timers[i] = (struct ys_timer){.fire = note, .context = names[i]};
        ys_clock_set(clock, &timers[i], times[i]);
    }
    ys_clock_cancel(clock, &timers[3]);
    ys_clock_cancel(clock, &timers[3]);
    ys_clock_set(clock, &timers[2], 60); /* moved */
    ys_clock_run(clock, 40);
    assert_string_equal(order, "bfe");
    assert_int_equal(ys_clock_now_ns(clock), 40);
    ys_clock_set(clock, &timers[3], 5); /* the past is now */
    assert_true(ys_clock_step(clock, 40));
    assert_int_equal(ys_clock_now_ns(clock), 40);
    ys_clock_run(clock, 1000);
    assert_string_equal(order, "bfedac");
    assert_false(ys_timer_is_set(&timers[0]));
    ys_clock_free(clock);
}

static uint64_t last_ns;
static size_t fired;

static void check_order(void *context)
{
    struct ys_clock *clock = context;
    assert_true(ys_clock_now_ns(clock) >= last_ns);
    last_ns = ys_clock_now_ns(clock);
    fired++;
}

/* A seeded walk of setting, moving and cancelling a thousand timers. */
static void a_thousand_timers_stay_in_order(void **state)
{
    static struct ys_timer timers[1000];
    struct ys_clock *clock = ys_clock_new();
    struct ys_chance chance = ys_chance_of(7, 1);
    size_t set = 0;
    (void)state;
    last_ns = 0;
    fired = 0;
    for (size_t i = 0; i < 1000; i++)
        timers[i] = (struct ys_timer){.fire = check_order, .context = clock};
    for (size_t i = 0; i < 20000; i++) {
        struct ys_timer *timer = &timers[ys_chance_below(&chance, 1000)];
        if (ys_chance_below(&chance, 3) == 0)
            ys_clock_cancel(clock, timer);
        else
            ys_clock_set(clock, timer, ys_chance_below(&chance, 1000000));
    }
    for (size_t i = 0; i < 1000; i++)
        set += ys_timer_is_set(&timers[i]);
    ys_clock_run(clock, 2000000);
    assert_int_equal(fired, set);
    ys_clock_free(clock);
}

static void chance_depends_on_seed_and_stream_alone(void **state)
{
    struct ys_chance a = ys_chance_of(1, 1);
    struct ys_chance b = ys_chance_of(1, 1);
    struct ys_chance other_seed = ys_chance_of(2, 1);
    struct ys_chance other_stream = ys_chance_of(1, 2);
    size_t counts[10] = {0};
    (void)state;
    for (size_t i = 0; i < 100; i++) {
        uint64_t value = ys_chance_next(&a);
        assert_true(value == ys_chance_next(&b));
        assert_true(value != ys_chance_next(&other_seed));
        assert_true(value != ys_chance_next(&other_stream));
    }
    for (size_t i = 0; i < 100000; i++)
        counts[ys_chance_below(&a, 10)]++;
    for (size_t i = 0; i < 10; i++) /* 10,000 each, with a standard deviation of 95 */
        assert_in_range(counts[i], 9500, 10500);
}

/* radio */

struct ear {
    struct ys_receiver receiver;
    size_t count;
    struct ys_air_packet last;
};

static void hear(void *context, const struct ys_air_packet *packet)
{
    struct ear *ear = context;
    ear->count++;
    ear->last = *packet;
}

static struct ear new_ear(uint16_t owner)
{
    return (struct ear){.receiver = {.receive = hear, .owner = owner, .crc_init = 0x123456}};
}

static const uint8_t five_bytes[] = {1, 2, 3, 4, 5};

static struct ys_sending sending(uint8_t channel, enum ys_phy phy, uint32_t access_address)
{
    return (struct ys_sending){.channel = channel,
                               .phy = phy,
                               .access_address = access_address,
                               .crc_init = 0x123456,
                               .sender = 9,
                               .pdu = five_bytes,
                               .length = sizeof five_bytes};
}

static void only_who_listens_there_from_the_start_hears(void **state)
{
    struct ys_clock *clock = ys_clock_new();
    struct ys_radio *radio = ys_radio_new(clock);
    /* channel, PHY and access address of each, when it begins, when it ends, and whether it hears */
    static const struct {
        uint8_t channel;
        enum ys_phy phy;
        uint32_t access_address;
        uint16_t owner;
        uint64_t from_us;
        uint64_t to_us;
        size_t hears;
    } cases[] = {
        {10, YS_PHY_1M, 0xaaaa, 1, 0, 1000, 1}, {11, YS_PHY_1M, 0xaaaa, 1, 0, 1000, 0},
        {10, YS_PHY_2M, 0xaaaa, 1, 0, 1000, 0}, {10, YS_PHY_1M, 0xbbbb, 1, 0, 1000, 0},
        {10, YS_PHY_1M, 0xaaaa, 9, 0, 1000, 0}, {10, YS_PHY_1M, 0xaaaa, 1, 101, 1000, 0},
        {10, YS_PHY_1M, 0xaaaa, 1, 0, 150, 0},  {10, YS_PHY_1M, 0xaaaa, 1, 100, 205, 1},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        struct ear ear = new_ear(cases[i].owner);
        struct ys_sending packet = sending(10, YS_PHY_1M, 0xaaaa);
        uint64_t base_ns = ys_clock_now_ns(clock);
        ear.receiver.context = &ear;
        ys_clock_run(clock, base_ns + (cases[i].from_us < 100 ? cases[i].from_us : 100) * YS_NS_PER_US);
        if (cases[i].from_us <= 100)
            ys_radio_listen(radio, &ear.receiver, cases[i].channel, cases[i].phy, cases[i].access_address);
        ys_clock_run(clock, base_ns + 100 * YS_NS_PER_US);
        /* 5 bytes: (1 + 4 + 5 + 3) x 8 us */
        assert_int_equal(ys_radio_send(radio, &packet), base_ns + 204 * YS_NS_PER_US);
        if (cases[i].from_us > 100)
            ys_radio_listen(radio, &ear.receiver, cases[i].channel, cases[i].phy, cases[i].access_address);
        ys_clock_run(clock, base_ns + cases[i].to_us * YS_NS_PER_US);
        ys_radio_stop(&ear.receiver);
        ys_clock_run(clock, base_ns + 1000 * YS_NS_PER_US);
        assert_int_equal(ear.count, cases[i].hears);
        if (ear.count > 0) {
            assert_int_equal(ear.last.start_ns, base_ns + 100 * YS_NS_PER_US);
            assert_int_equal(ear.last.duration_ns, 104 * YS_NS_PER_US);
            assert_int_equal(ear.last.sender, 9);
            assert_int_equal(ear.last.crc, ys_link_crc(0x123456, five_bytes, 5));
            assert_hex(ear.last.pdu, ear.last.length, "0102030405");
            assert_false(ear.last.overlapped);
        }
    }
    assert_int_equal(ys_radio_count(radio), COUNT(cases));
    ys_radio_free(radio);
    ys_clock_free(clock);
}

static void transmissions_that_overlap_are_marked_and_the_first_is_heard(void **state)
{
    struct ys_clock *clock = ys_clock_new();
    struct ys_radio *radio = ys_radio_new(clock);
    struct ear ear = new_ear(1);
    struct ear observer = new_ear(0);
    struct ys_sending packet = sending(10, YS_PHY_1M, 0xaaaa);
    struct ys_sending elsewhere = sending(11, YS_PHY_1M, 0xaaaa);
    (void)state;
    ear.receiver.context = &ear;
    static struct ys_observer watcher;
    watcher = (struct ys_observer){.observe = hear, .context = &observer};
    ys_radio_observe(radio, &watcher);
    ys_radio_listen(radio, &ear.receiver, 10, YS_PHY_1M, 0xaaaa);
    (void)ys_radio_send(radio, &packet);
    assert_true(ys_receiver_hears(&ear.receiver));
    ys_clock_run(clock, 50 * YS_NS_PER_US);
    (void)ys_radio_send(radio, &elsewhere);
    (void)ys_radio_send(radio, &packet);
    ys_clock_run(clock, 500 * YS_NS_PER_US);
    assert_int_equal(ear.count, 1);
    assert_int_equal(ear.last.start_ns, 0);
    assert_true(ear.last.overlapped);
    assert_int_equal(observer.count, 3); /* the observer is told of all */
    assert_true(observer.last.overlapped);
    (void)ys_radio_send(radio, &packet);
    ys_clock_run(clock, 1000 * YS_NS_PER_US);
    assert_int_equal(ear.count, 2);
    assert_false(ear.last.overlapped);
    ys_radio_stop(&ear.receiver);
    ys_radio_free(radio);
    ys_clock_free(clock);
}

/* controllers */

/* Vol 4 Part
 * E 7.3.1, 7.8.1, 7.3.2, 7.3.38, 7.3.39, 7.3.69, 7.3.78, 7.3.79, 7.4.1, 7.7.14, 7.7.15, 7.8.5, 7.8.6, 7.8.10,
 * 7.8.11, 7.8.22, 7.8.27. */
static void commands_are_answered_as_the_standard_says(void **state)
{
    static const struct {
        const char *command;
        const char *answer;
    } cases[] = {
        {"01 030c 00", "04 0e 04 01 030c 00"},
        {"01 0310 00", "04 0e 0c 01 0310 00 0000000060000000"},
        {"01 0220 00", "04 0e 07 01 0220 00 fb00 08"},
        {"01 0910 00", "04 0e 0a 01 0910 00 010000ffff00"},
        {"01 0320 00", "04 0e 0c 01 0320 00 7f00000000000000"},
        {"01 030c 01 00", "04 0e 04 01 030c 12"},   /* too long */
        {"01 0520 02 0000", "04 0e 04 01 0520 12"}, /* too short */
        {"01 ff20 00", "04 0f 04 01 01 ff20"},      /* unknown */
        {"01 0a20 01 02", "04 0e 04 01 0a20 12"},
        {"01 0620 0f 1f00 a000 00 00 00 000000000000 07 00", "04 0e 04 01 0620 12"}, /* under 20 ms */
        {"01 0620 0f a000 9f00 00 00 00 000000000000 07 00", "04 0e 04 01 0620 12"},
        {"01 0620 0f a000 a000 00 00 00 000000000000 00 00", "04 0e 04 01 0620 12"}, /* no channel */
        {"01 0620 0f a000 a000 05 00 00 000000000000 07 00", "04 0e 04 01 0620 11"}, /* of no known type */
        {"01 0620 0f a000 a000 00 00 00 000000000000 07 04", "04 0e 04 01 0620 12"}, /* filter */
        {"01 0620 0f 0000 0000 01 00 00 020000ffff00 07 00", "04 0e 04 01 0620 00"}, /* its interval is its own */
        {"01 0620 0f 0000 0000 04 00 00 020000ffff00 07 00", "04 0e 04 01 0620 12"},
        {"01 0620 0f a000 a000 00 01 00 000000000000 07 00", "04 0e 04 01 0620 00"},
        {"01 0a20 01 01", "04 0e 04 01 0a20 12"}, /* random address, and none is set */
        {"01 0b20 07 00 0300 0300 00 00", "04 0e 04 01 0b20 12"},
        {"01 0b20 07 00 1000 1100 00 00", "04 0e 04 01 0b20 12"},
        {"01 0c20 02 01 02", "04 0e 04 01 0c20 12"},
        {"01 0f20 00", "04 0e 05 01 0f20 00 08"},
        {"01 1120 07 02 020000ffff00", "04 0e 04 01 1120 12"}, /* no type of an address */
        {"01 1120 07 ff 020000ffff00", "04 0e 04 01 1120 00"}, /* anonymous */
        {"01 1220 07 ff 020000ffff00", "04 0e 04 01 1220 00"},
        {"01 1020 00", "04 0e 04 01 1020 00"},
        {"01 3b20 00", "04 0f 04 01 01 3b20"}, /* it knows no sets */
        {"01 0d20 19 6000 6000 00 00 020000ffff00 00 0500 0500 0000 9001 0000 0000", "04 0f 04 12 01 0d20"},
        {"01 0d20 19 6000 6000 00 00 020000ffff00 00 1800 1800 0000 0900 0000 0000", "04 0f 04 12 01 0d20"},
        {"01 0e20 00", "04 0e 04 01 0e20 0c"},
        /* what hosts ask at their start, and what they tell */
        {"01 0110 00", "04 0e 0c 01 0110 00 0d 0100 0d ffff 0100"},
        {"01 0510 00", "04 0e 0b 01 0510 00 fb00 00 0800 0000"},
        {"01 630c 08 ffffffffffffffff", "04 0e 04 01 630c 00"},
        {"01 310c 01 00", "04 0e 04 01 310c 00"},
        {"01 310c 01 01", "04 0e 04 01 310c 11"},
        {"01 330c 07 fb00 00 0800 0000", "04 0e 04 01 330c 00"},
        {"01 330c 07 1a00 00 0800 0000", "04 0e 04 01 330c 12"},
        {"01 6d0c 02 01 00", "04 0e 04 01 6d0c 00"},
        {"01 6d0c 02 00 00", "04 0e 04 01 6d0c 11"},
        {"01 6c0c 00", "04 0e 06 01 6c0c 00 01 00"},
        {"01 0720 00", "04 0e 05 01 0720 00 00"},
        {"01 1c20 00", "04 0e 0c 01 1c20 00 ffffffffff030000"},
        {"01 0104 05 338b9e0800", "04 0f 04 01 01 0104"}, /* an inquiry, of the classic radio */
        {"01 140c 00", "04 0f 04 01 01 140c"},
        /* FIPS 197 C.1, least significant byte first */
        {"01 1720 20 0f0e0d0c0b0a09080706050403020100 ffeeddccbbaa99887766554433221100",
         "04 0e 14 01 1720 00 5ac5b47080b7cdd830047b6ad8e0c469"},
        {"01 0604 03 0100 13", "04 0f 04 02 01 0604"},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        size_t before = bench.packet_count[0];
        tell(0, cases[i].command);
        assert_int_equal(bench.packet_count[0], before + 1);
        assert_told(0, cases[i].answer);
    }
}

/* Vol 4 Part E 6.27, 7.4.2: what is said to be there is, and what is there is said to be. */
static void the_supported_commands_are_those_that_are_known(void **state)
{
    static const struct {
        uint8_t octet;
        uint8_t bit;
        bool is;
    } cases[] = {{0, 5, true},   {0, 0, false}, {5, 7, true},  {14, 4, true}, {25, 5, true},
                 {27, 6, true},  {27, 7, true}, {34, 1, true}, {34, 2, true}, {36, 2, false},
                 {37, 7, false}, {33, 6, true}, {41, 2, true}, {63, 7, false}};
    (void)state;
    tell(0, "01 0210 00");
    const uint8_t *packet = bench.packets[0][bench.packet_count[0] - 1];
    assert_int_equal(bench.lengths[0][bench.packet_count[0] - 1], 3 + 4 + 64);
    for (size_t i = 0; i < COUNT(cases); i++)
        assert_int_equal(packet[7 + cases[i].octet] >> cases[i].bit & 1, cases[i].is);
}

/* A host leaves AES, chance and the curve to its controller: Vol 4 Part E 7.8.23, 7.8.36, 7.8.37, 7.8.93, 7.7.65.8,
 * 7.7.65.9. */
static void a_controller_computes_for_its_host(void **state)
{
    static const char debug_x[] = "e69d350e480103ccdbfdf4ac1191f4efb9a5f9e9a7832c5e2cbe97f2d203b020";
    static const char debug_y[] = "8bd28915d08e1c742430ed8fc24563765c15525abf9a32636deb2a65499c80dc";
    char line[300];
    char keys[2][129] = {"", ""};
    uint8_t secrets[3][32];
    (void)state;
    tell(0, "01 1820 00");
    const uint8_t *first = bench.packets[0][bench.packet_count[0] - 1];
    tell(0, "01 1820 00");
    assert_memory_not_equal(first + 7, bench.packets[0][bench.packet_count[0] - 1] + 7, 8);
    (void)snprintf(line, sizeof line, "01 2620 40 %s %s", debug_x, debug_y);
    tell(0, line);
    assert_told(0, "04 0f 04 0c 01 2620"); /* there is no key yet */
    for (size_t i = 0; i < 2; i++) {
        tell(i, "01 0120 08 ff01000000000000");
        tell(i, "01 2520 00");
        assert_told(i, "04 0f 04 00 01 2520");
        tell(i, "01 2520 00");
        assert_told(i, "04 0f 04 0c 01 2520"); /* one at a time */
        pass_us(60000);
        const uint8_t *told = bench.packets[i][bench.packet_count[i] - 1];
        assert_hex(told, 5, "04 3e 42 08 00");
        for (size_t j = 0; j < 64; j++)
            (void)snprintf(keys[i] + 2 * j, 3, "%02x", told[5 + j]);
    }
    const char *const commands[3] = {"01 2620 40 %s", "01 2620 40 %s", "01 5e20 41 %s 01"};
    for (size_t i = 0; i < 3; i++) { /* with each other; and the first with the key for debugging */
        (void)snprintf(line, sizeof line, commands[i], keys[1 - i % 2]);
        tell(i % 2, line);
        pass_us(60000);
        const uint8_t *told = bench.packets[i % 2][bench.packet_count[i % 2] - 1];
        assert_hex(told, 5, "04 3e 22 09 00");
        memcpy(secrets[i], told + 5, 32);
    }
    assert_memory_equal(secrets[0], secrets[1], 32);
    (void)snprintf(line, sizeof line, "01 2620 40 %s %s", debug_x, debug_y);
    tell(1, line);
    pass_us(60000);
    assert_memory_equal(bench.packets[1][bench.packet_count[1] - 1] + 5, secrets[2], 32);
    (void)snprintf(line, sizeof line, "01 2620 40 %s %s", debug_x, debug_x);
    tell(1, line);
    pass_us(60000);
    assert_hex(bench.packets[1][bench.packet_count[1] - 1], 5, "04 3e 22 09 12"); /* no point of the curve */
    (void)snprintf(line, sizeof line, "01 5e20 41 %s %s 02", debug_x, debug_y);   /* of no known kind */
    tell(1, line);
    assert_told(1, "04 0f 04 12 01 5e20");
    tell(1, "01 2520 00");
    tell(1, "01 030c 00"); /* a reset gives up what is computed, and the key */
    pass_us(60000);
    assert_told(1, "04 0e 04 01 030c 00");
    (void)snprintf(line, sizeof line, "01 2620 40 %s %s", debug_x, debug_y);
    tell(1, line);
    assert_told(1, "04 0f 04 0c 01 2620");
}

/* Vol 4 Part E 5.4. */
static void packets_that_are_none_are_dropped(void **state)
{
    static const char *const packets[] = {"",           "01",         "01 030c",      "01 030c 01",
                                          "04 0e 00",   "02",         "02 0100 0500", "02 0100 0100 00",
                                          "02 0020 00", "07 0000 00", "02 ff0f 0000"};
    (void)state;
    for (size_t i = 0; i < COUNT(packets); i++)
        tell(0, packets[i]);
    assert_int_equal(bench.packet_count[0], 0);
}

/* Vol 6 Part B 4.4.2.1, 4.4.2.2. */
static void events_go_over_three_channels_at_interval_plus_delay(void **state)
{
    const struct ys_address address = {.type = YS_ADDRESS_PUBLIC, .bytes = {1, 0, 0, 0xff, 0xff, 0}};
    struct ys_advertising_meter meter = {.advertiser = address, .interval_max_ns = 100 * YS_NS_PER_MS};
    (void)state;
    bench_advertise();
    pass_us(100 * 1000000);
    assert_int_equal(bench.air_count % 3, 0);
    for (size_t i = 0; i < bench.air_count; i++) {
        const struct ys_air_packet *packet = &bench.air[i];
        assert_int_equal(packet->channel, 37 + i % 3);
        assert_int_equal(packet->access_address, 0x8e89bed6);
        assert_int_equal(packet->duration_ns, (1 + 4 + 2 + 9 + 3) * 8 * 1000);
        assert_hex(packet->pdu, packet->length, "00 09 010000ffff00 020106");
        ys_advertising_meter_take(&meter, packet);
    }
    assert_int_equal(meter.events, bench.air_count / 3);
    assert_int_equal(meter.intervals_ms.count, meter.events - 1);
    assert_true(ys_samples_quantile(&meter.intervals_ms, 0) >= 100);
    assert_true(ys_samples_quantile(&meter.intervals_ms, 1) <= 110);
    /* the mean is 105 ms; its standard error over 950 events is 10 ms / sqrt(12) / sqrt(950) = 0.094 ms */
    assert_true(ys_samples_mean(&meter.intervals_ms) > 104.6 && ys_samples_mean(&meter.intervals_ms) < 105.4);
    assert_int_equal(meter.spacings, 2 * meter.events);
    assert_int_equal(meter.spacing_min_ns, (152 + 150 + 16 + 150) * YS_NS_PER_US); /* it listens for requests */
    assert_int_equal(meter.spacing_max_ns, meter.spacing_min_ns);
    ys_advertising_meter_free(&meter);
    tell(0, "01 0a20 01 00");
    size_t before = bench.air_count;
    pass_us(1000000);
    assert_int_equal(bench.air_count, before);
}

/* Whatever short thing is heard where a request may come ends the waiting for one: nothing is left that would go on. */
static void an_event_that_ends_early_is_over(void **state)
{
    static const uint8_t nothing[2] = {0x0f, 0};
    const struct ys_sending short_one = {.channel = 39,
                                         .phy = YS_PHY_1M,
                                         .access_address = YS_LINK_ADVERTISING_ACCESS_ADDRESS,
                                         .crc_init = 0x555555,
                                         .sender = 9,
                                         .pdu = nothing,
                                         .length = sizeof nothing};
    (void)state;
    bench_advertise();
    for (size_t events = 1; events <= 20; events++) {
        while (bench.air_count == 0 || bench.air[bench.air_count - 1].channel != 39 ||
               bench.air[bench.air_count - 1].sender != 1)
            assert_true(ys_clock_step(bench.clock, UINT64_MAX));
        assert_int_equal(bench.air_count, 4 * events - 1);
        pass_us(events); /* 80 us: it ends before a request would have begun */
        ys_radio_send(bench.radio, &short_one);
        pass_us(2000);
        assert_int_equal(bench.air_count, 4 * events);
    }
}

static void an_interval_is_not_measured_across_a_connection(void **state)
{
    const struct ys_address address = {.type = YS_ADDRESS_PUBLIC, .bytes = {1, 0, 0, 0xff, 0xff, 0}};
    struct ys_advertising_meter meter = {.advertiser = address, .interval_max_ns = 100 * YS_NS_PER_MS};
    (void)state;
    bench_advertise();
    tell(1, "01 0d20 19 6000 6000 00 00 010000ffff00 00 1800 1800 0000 9001 0000 0000");
    pass_us(1000000);
    tell(0, "01 0a20 01 01");
    pass_us(250000);
    for (size_t i = 0; i < bench.air_count; i++)
        ys_advertising_meter_take(&meter, &bench.air[i]);
    assert_true(meter.events >= 4);
    assert_true(ys_samples_quantile(&meter.intervals_ms, 1) <= 110);
    assert_int_equal(meter.packets[YS_LINK_CONNECT_IND], 1);
    assert_int_equal(meter.silence, YS_SILENCE_CONNECTED);
    assert_in_range(meter.silence_ns, 900 * YS_NS_PER_MS, 1000 * YS_NS_PER_MS);
    ys_advertising_meter_free(&meter);
}

/* Vol 6 Part B 2.3.2, 4.1.1, 4.4.2.3, 4.4.2.5, 4.4.2.6. */
static void an_active_scanner_asks_and_is_answered_after_150_us(void **state)
{
    (void)state;
    bench_advertise();
    tell(1, "01 0b20 07 01 1000 1000 00 00");
    tell(1, "01 0c20 02 01 00");
    pass_us(1000000);
    size_t answered = 0;
    for (size_t i = 2; i < bench.air_count; i++) {
        const struct ys_air_packet *response = &bench.air[i];
        if ((response->pdu[0] & 0x0f) != YS_LINK_SCAN_RSP)
            continue;
        const struct ys_air_packet *request = &bench.air[i - 1];
        const struct ys_air_packet *advertisement = &bench.air[i - 2];
        assert_hex(request->pdu, request->length, "03 0c 020000ffff00 010000ffff00");
        assert_hex(response->pdu, response->length, "04 0a 010000ffff00 03095432");
        assert_int_equal(request->start_ns, advertisement->start_ns + advertisement->duration_ns + 150000);
        assert_int_equal(response->start_ns, request->start_ns + request->duration_ns + 150000);
        answered++;
    }
    assert_true(answered > 0);
    assert_int_equal(count_told(1, "04 3e 0f 02 01 00 00 010000ffff00 03 020106 ce"), answered);
    assert_int_equal(count_told(1, "04 3e 10 02 01 04 00 010000ffff00 04 03095432 ce"), answered);
    /* a passive one only listens */
    tell(1, "01 0c20 02 00 00");
    tell(1, "01 0b20 07 00 1000 1000 00 00");
    tell(1, "01 0c20 02 01 00");
    bench.air_count = 0;
    pass_us(1000000);
    for (size_t i = 0; i < bench.air_count; i++)
        assert_int_equal(bench.air[i].pdu[0] & 0x0f, YS_LINK_ADV_IND);
}

/* Vol 6 Part B 4.4.3. */
static void a_scanner_hears_only_in_its_windows(void **state)
{
    (void)state;
    bench_advertise();
    tell(1, "01 0b20 07 00 a000 1000 00 00"); /* 10 ms of each 100 ms */
    tell(1, "01 0c20 02 01 00");
    pass_us(20 * 1000000);
    size_t heard = count_told(1, "04 3e 0f 02");
    /* of about 190 events, each with one packet on the scanner's channel, about a tenth */
    assert_in_range(heard, 5, 45);
}

static size_t find_connect(void)
{
    for (size_t i = 0; i < bench.air_count; i++) {
        if (bench.air[i].access_address == 0x8e89bed6 && (bench.air[i].pdu[0] & 0x0f) == YS_LINK_CONNECT_IND)
            return i;
    }
    fail_msg("no CONNECT_IND");
    return 0;
}

/* Vol 6 Part B 4.1.1, 4.5.1, 4.5.3 to 4.5.5. */
static void connection_events_stand_on_their_anchors(void **state)
{
    (void)state;
    bench_connect();
    size_t at = find_connect();
    const struct ys_air_packet *request = &bench.air[at];
    struct ys_link_advertising pdu;
    assert_true(ys_link_advertising_decode(request->pdu, request->length, &pdu));
    assert_in_range(pdu.connect.hop, 5, 16);
    uint64_t anchor_ns = request->start_ns + request->duration_ns + 1250000;
    uint8_t last_unmapped = 0;
    size_t events = 0;
    for (size_t i = at + 1; i + 1 < bench.air_count; i += 2, events++) {
        const struct ys_air_packet *central = &bench.air[i];
        const struct ys_air_packet *peripheral = &bench.air[i + 1];
        uint8_t channel = ys_link_next_channel(&last_unmapped, pdu.connect.hop, pdu.connect.channel_map);
        assert_int_equal(central->start_ns, anchor_ns + events * 30000000);
        assert_int_equal(central->access_address, pdu.connect.access_address);
        assert_int_equal(central->channel, channel);
        assert_int_equal(peripheral->channel, channel);
        assert_int_equal(central->sender, 2);
        assert_int_equal(peripheral->sender, 1);
        assert_int_equal(peripheral->start_ns, central->start_ns + 80000 + 150000);
        assert_int_equal(central->crc, ys_link_crc(pdu.connect.crc_init, central->pdu, central->length));
        /* empty PDUs, acknowledged one by one: both bits change with each event */
        assert_int_equal(central->pdu[0], events % 2 == 0 ? 0x01 : 0x0d);
        assert_int_equal(peripheral->pdu[0], events % 2 == 0 ? 0x05 : 0x09);
    }
    assert_true(events > 10);
}

static void data_is_cut_into_27_bytes_and_acknowledged(void **state)
{
    (void)state;
    bench_connect();
    size_t before = bench.air_count;
    char packet[512] = "02 0100 4000";
    for (int i = 0; i < 64; i++) {
        char byte[8];
        (void)snprintf(byte, sizeof byte, " %02x", i);
        strcat(packet, byte);
    }
    tell(1, packet);
    pass_us(60000);
    assert_int_equal(count_told(0, "02 0120 1b00 000102"), 1);
    assert_int_equal(count_told(0, "02 0110 1b00 1b1c1d"), 1);
    assert_int_equal(count_told(0, "02 0110 0a00 363738"), 1);
    assert_int_equal(count_told(1, "04 13 05 01 0100 0100"), 1);
    /* three packets in one event, each with more data announced but the last */
    size_t data = 0;
    for (size_t i = before; i < bench.air_count; i++) {
        if (bench.air[i].sender != 2 || bench.air[i].pdu[1] == 0)
            continue;
        static const uint8_t kinds[] = {YS_LINK_FIRST, YS_LINK_CONTINUING, YS_LINK_CONTINUING};
        assert_int_equal(bench.air[i].pdu[0] & 3, kinds[data]);
        assert_int_equal(bench.air[i].pdu[0] >> 4 & 1, data < 2);
        data++;
    }
    assert_int_equal(data, 3);
}

/* Vol 6 Part B 4.5.9. */
static void data_goes_both_ways_at_once_and_keeps_its_order(void **state)
{
    (void)state;
    bench_connect();
    for (int i = 0; i < 8; i++) {
        char packet[64];
        (void)snprintf(packet, sizeof packet, "02 0100 0300 %02x aabb", i);
        tell(0, packet);
        tell(1, packet);
    }
    tell(1, "02 0100 0300 ff aabb"); /* a ninth, without room for it, is lost */
    pass_us(60000);
    for (size_t which = 0; which < 2; which++) {
        uint8_t next = 0;
        for (size_t i = 0; i < bench.packet_count[which]; i++) {
            if (bench.packets[which][i][0] == 0x02)
                assert_int_equal(bench.packets[which][i][5], next++);
        }
        assert_int_equal(next, 8);
        assert_int_equal(count_told(which, "04 13 05 01 0100 0100"), 8);
    }
}

/* Vol 3 Part C 9.3.10; Vol 6 Part B 5.1.6; Vol 4 Part E 7.1.6, 7.7.5. */
static void either_side_can_end_a_connection(void **state)
{
    (void)state;
    for (size_t which = 0; which < 2; which++) {
        (void)bench_teardown(NULL);
        (void)bench_setup(NULL);
        bench_connect();
        tell(which, "01 0604 03 0100 99");
        assert_told(which, "04 0f 04 12 01 0604"); /* no such reason */
        tell(which, "01 0604 03 0100 13");
        assert_told(which, "04 0f 04 00 01 0604");
        tell(which, "01 0604 03 0100 13");
        assert_told(which, "04 0f 04 0c 01 0604");
        pass_us(200000);
        assert_int_equal(count_told(which, "04 05 04 00 0100 16"), 1);
        assert_int_equal(count_told(1 - which, "04 05 04 00 0100 13"), 1);
        size_t before = bench.air_count;
        pass_us(1000000);
        assert_int_equal(bench.air_count, before); /* silence */
        tell(which, "01 0604 03 0100 13");
        assert_told(which, "04 0f 04 02 01 0604");
    }
}

/* Vol 6 Part B 4.5.2. */
static void a_side_that_falls_silent_is_noticed_after_the_timeout(void **state)
{
    (void)state;
    bench_connect();
    pass_us(100000);
    uint64_t silent_ns = ys_clock_now_ns(bench.clock);
    tell(0, "01 030c 00"); /* reset: it is gone without a word */
    pass_us(969000);
    assert_int_equal(count_told(1, "04 05 04 00 0100 08"), 0);
    pass_us(31000); /* counted from when it was last heard, not only in events */
    assert_int_equal(count_told(1, "04 05 04 00 0100 08"), 1);
    const struct ys_air_packet *last = &bench.air[bench.air_count - 1];
    assert_true(last->start_ns - silent_ns < 1000000000);
}

/* Vol 6 Part B 4.5.2. */
static void a_connection_that_is_never_heard_fails_after_six_intervals(void **state)
{
    (void)state;
    bench_advertise();
    tell(1, "01 0d20 19 6000 6000 00 00 010000ffff00 00 1800 1800 0000 6400 0000 0000");
    while (count_told(1, "04 3e 13 01 00") == 0)
        pass_us(100);
    tell(0, "01 030c 00");
    pass_us(300000);
    assert_int_equal(count_told(1, "04 05 04 00 0100 3e"), 1);
    size_t connected = 0;
    for (size_t i = 0; i < bench.air_count; i++)
        connected += bench.air[i].access_address != 0x8e89bed6;
    assert_int_equal(connected, 6);
}

/* Vol 6 Part B 2.4.2. */
static void unknown_control_pdus_are_answered_as_unknown(void **state)
{
    (void)state;
    bench_connect();
    size_t at = find_connect();
    struct ys_link_advertising connect;
    assert_true(ys_link_advertising_decode(bench.air[at].pdu, bench.air[at].length, &connect));
    /* the test sends in the central's place, a little before its anchor, on the right channel */
    uint8_t last_unmapped = 0;
    uint64_t anchor_ns = bench.air[at].start_ns + bench.air[at].duration_ns + 1250000;
    uint8_t channel = ys_link_next_channel(&last_unmapped, connect.connect.hop, connect.connect.channel_map);
    size_t event = 0;
    while (anchor_ns < ys_clock_now_ns(bench.clock)) {
        anchor_ns += 30000000;
        channel = ys_link_next_channel(&last_unmapped, connect.connect.hop, connect.connect.channel_map);
        event++;
    }
    const uint8_t pdu[] = {(uint8_t)(0x03 | (event % 2 == 0 ? 0 : 0x0c)), 2, 0x0c, 0x00};
    tell(1, "01 030c 00");
    ys_clock_run(bench.clock, anchor_ns);
    const struct ys_sending packet = {.channel = channel,
                                      .access_address = connect.connect.access_address,
                                      .crc_init = connect.connect.crc_init,
                                      .pdu = pdu,
                                      .length = sizeof pdu};
    (void)ys_radio_send(bench.radio, &packet);
    bench.air_count = 0;
    pass_us(1000);
    assert_int_equal(bench.air_count, 2);
    assert_hex(bench.air[1].pdu + 1, 3, "02 07 0c");
}

/* A packet that the air has spoilt: the receiver must not believe a word of it (Vol 6 Part B 3.1.1). */
static void packets_with_another_crc_are_not_taken(void **state)
{
    static const uint8_t scan_request[] = {0x03, 0x0c, 2, 0, 0, 0xff, 0xff, 0, 1, 0, 0, 0xff, 0xff, 0};
    (void)state;
    bench_advertise();
    while (bench.air_count == 0) /* the first advertisement has just ended */
        pass_us(1);
    pass_us(150 - 1);
    struct ys_sending packet = {.channel = 37,
                                .access_address = 0x8e89bed6,
                                .crc_init = 0x555554,
                                .pdu = scan_request,
                                .length = sizeof scan_request};
    (void)ys_radio_send(bench.radio, &packet);
    pass_us(1000);
    for (size_t i = 0; i < bench.air_count; i++)
        assert_int_not_equal(bench.air[i].pdu[0] & 0x0f, YS_LINK_SCAN_RSP);
}

/* measure */

static void a_stream_is_measured_from_its_first_value_to_its_last(void **state)
{
    struct ys_stream_meter meter = {.count = 0};
    (void)state;
    ys_stream_meter_take(&meter, 1000000000, 2);
    assert_true(ys_stream_meter_rate_hz(&meter) == 0);
    for (uint64_t i = 1; i <= 50; i++)
        ys_stream_meter_take(&meter, 1000000000 + i * 20000000, 2);
    assert_int_equal(meter.count, 51);
    assert_true(ys_stream_meter_rate_hz(&meter) > 49.999 && ys_stream_meter_rate_hz(&meter) < 50.001);
    assert_true(ys_stream_meter_goodput_bps(&meter) > 799.99 && ys_stream_meter_goodput_bps(&meter) < 800.01);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(timers_fire_in_order_of_time_and_then_of_setting),
        cmocka_unit_test(a_clock_that_does_not_go_on_stands),
        cmocka_unit_test(a_thousand_timers_stay_in_order),
        cmocka_unit_test(chance_depends_on_seed_and_stream_alone),
        cmocka_unit_test(only_who_listens_there_from_the_start_hears),
        cmocka_unit_test(transmissions_that_overlap_are_marked_and_the_first_is_heard),
        cmocka_unit_test_setup_teardown(commands_are_answered_as_the_standard_says, bench_setup, bench_teardown),
        cmocka_unit_test_setup_teardown(the_supported_commands_are_those_that_are_known, bench_setup, bench_teardown),
        cmocka_unit_test_setup_teardown(a_controller_computes_for_its_host, bench_setup, bench_teardown),
        cmocka_unit_test_setup_teardown(packets_that_are_none_are_dropped, bench_setup, bench_teardown),
        cmocka_unit_test_setup_teardown(events_go_over_three_channels_at_interval_plus_delay, bench_setup,
                                        bench_teardown),
        cmocka_unit_test_setup_teardown(an_event_that_ends_early_is_over, bench_setup, bench_teardown),
        cmocka_unit_test_setup_teardown(an_interval_is_not_measured_across_a_connection, bench_setup, bench_teardown),
        cmocka_unit_test_setup_teardown(an_active_scanner_asks_and_is_answered_after_150_us, bench_setup,
                                        bench_teardown),
        cmocka_unit_test_setup_teardown(a_scanner_hears_only_in_its_windows, bench_setup, bench_teardown),
        cmocka_unit_test_setup_teardown(connection_events_stand_on_their_anchors, bench_setup, bench_teardown),
        cmocka_unit_test_setup_teardown(data_is_cut_into_27_bytes_and_acknowledged, bench_setup, bench_teardown),
        cmocka_unit_test_setup_teardown(data_goes_both_ways_at_once_and_keeps_its_order, bench_setup, bench_teardown),
        cmocka_unit_test_setup_teardown(either_side_can_end_a_connection, bench_setup, bench_teardown),
        cmocka_unit_test_setup_teardown(a_side_that_falls_silent_is_noticed_after_the_timeout, bench_setup,
                                        bench_teardown),
        cmocka_unit_test_setup_teardown(a_connection_that_is_never_heard_fails_after_six_intervals, bench_setup,
                                        bench_teardown),
        cmocka_unit_test_setup_teardown(unknown_control_pdus_are_answered_as_unknown, bench_setup, bench_teardown),
        cmocka_unit_test_setup_teardown(packets_with_another_crc_are_not_taken, bench_setup, bench_teardown),
        cmocka_unit_test(a_stream_is_measured_from_its_first_value_to_its_last),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
