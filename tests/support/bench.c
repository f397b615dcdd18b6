/* Two simulated controllers, each with a scripted host. */
#include "support/check.h"

#include "support/bench.h"

#include <string.h>

#include "support/hex.h"

struct bench bench;

static void to_host(size_t which, const uint8_t *packet, size_t length)
{
    assert_true(bench.packet_count[which] < 512 && length <= 300);
    memcpy(bench.packets[which][bench.packet_count[which]], packet, length);
    bench.lengths[which][bench.packet_count[which]++] = length;
}

static void to_first(void *context, const uint8_t *packet, size_t length)
{
    (void)context;
    to_host(0, packet, length);
}

static void to_second(void *context, const uint8_t *packet, size_t length)
{
    (void)context;
    to_host(1, packet, length);
}

static void on_air(void *context, const struct ys_air_packet *packet)
{
    (void)context;
    assert_true(bench.air_count < AIR_MOST);
    bench.air[bench.air_count++] = *packet;
}

int bench_setup(void **state)
{
    (void)state;
    memset(&bench, 0, sizeof bench);
    bench.clock = ys_clock_new();
    bench.radio = ys_radio_new(bench.clock);
    static struct ys_observer watcher;
    watcher = (struct ys_observer){.observe = on_air, .context = NULL};
    ys_radio_observe(bench.radio, &watcher);
    for (uint16_t i = 0; i < 2; i++) {
        const struct ys_controller_settings settings = {
            .number = (uint16_t)(i + 1),
            .seed = 1,
            .address = {.type = YS_ADDRESS_PUBLIC, .bytes = {(uint8_t)(i + 1), 0, 0, 0xff, 0xff, 0}},
            .send = i == 0 ? to_first : to_second,
        };
        bench.controllers[i] = ys_controller_new(bench.radio, &settings);
    }
    return 0;
}

int bench_teardown(void **state)
{
    (void)state;
    ys_controller_free(bench.controllers[0]);
    ys_controller_free(bench.controllers[1]);
    ys_radio_free(bench.radio);
    ys_clock_free(bench.clock);
    return 0;
}

void tell(size_t which, const char *hex)
{
    uint8_t packet[300];
    ys_controller_receive(bench.controllers[which], packet, from_hex(hex, packet, sizeof packet));
}

void assert_told(size_t which, const char *hex)
{
    assert_true(bench.packet_count[which] > 0);
    size_t last = bench.packet_count[which] - 1;
    assert_hex(bench.packets[which][last], bench.lengths[which][last], hex);
}

void pass_us(uint64_t us)
{
    ys_clock_run(bench.clock, ys_clock_now_ns(bench.clock) + us * YS_NS_PER_US);
}

size_t count_told(size_t which, const char *prefix)
{
    uint8_t bytes[64];
    size_t length = from_hex(prefix, bytes, sizeof bytes);
    size_t count = 0;
    for (size_t i = 0; i < bench.packet_count[which]; i++)
        count += bench.lengths[which][i] >= length && memcmp(bench.packets[which][i], bytes, length) == 0;
    return count;
}

void bench_advertise(void)
{
    tell(0, "01 0620 0f a000 a000 00 00 00 000000000000 07 00");
    tell(0, "01 0820 20 03 020106 00000000000000000000000000000000000000000000000000000000");
    tell(0, "01 0920 20 04 03095432 000000000000000000000000000000000000000000000000000000");
    tell(0, "01 0a20 01 01");
    assert_told(0, "04 0e 04 01 0a20 00");
}

void bench_connect(void)
{
    bench_advertise();
    tell(1, "01 0d20 19 6000 6000 00 00 010000ffff00 00 1800 1800 0000 6400 0000 0000");
    assert_told(1, "04 0f 04 00 01 0d20");
    pass_us(500000);
    assert_int_equal(count_told(1, "04 3e 13 01 00 0100 00 00 010000ffff00 1800 0000 6400 00"), 1);
    assert_int_equal(count_told(0, "04 3e 13 01 00 0100 01 00 020000ffff00 1800 0000 6400 00"), 1);
}
