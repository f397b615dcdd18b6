/* bench_link PAIRS MILLISECONDS [encrypted]: so many pairs of controllers, each with a saturated 2M link of 251 bytes a
 * packet every 30 ms. Prints how many packets were on the air. The difference between two times is what the packets
 * cost.
 *
 * bench_link share MILLISECONDS: one device and four centrals, of which it streams to two; prints as JSON what each
 * got, and how long each frame waited. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "measure/samples.h"
#include "sim/controller.h"

#define BUFFERS 8
#define FRAME   251
#define HANDLES 9
#define STAMPS  4096

/* A controller, and a host that keeps its buffers full. */
struct side {
    struct ys_controller *controller;
    struct ys_clock *clock;
    struct ys_timer run;
    uint8_t share; /* of the buffers, for each connection: as a host gives it */
    uint8_t on_the_way[HANDLES];
    bool connected;
    bool key_asked;
    bool encrypted;
    bool streams[HANDLES];
    uint64_t sent[HANDLES];
    uint64_t received;
    struct side *from; /* whose frames it takes, and on which of its connections */
    uint8_t from_handle;
    uint64_t stamps[HANDLES][STAMPS];
    struct ys_samples latency_ms;
};

static void give(struct side *side, const uint8_t *packet, size_t length)
{
    ys_controller_receive(side->controller, packet, length);
}

static void send_frame(struct side *side, uint8_t handle)
{
    uint8_t packet[5 + FRAME] = {2, handle, 0, FRAME, 0, FRAME - 4, 0, 4, 0};
    side->stamps[handle][side->sent[handle]++ % STAMPS] = ys_clock_now_ns(side->clock);
    side->on_the_way[handle]++;
    give(side, packet, sizeof packet);
}

static void run(void *context)
{
    static const uint8_t key[22] = {1, 0x1a, 0x20, 18, 1, 0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15, 16};
    struct side *side = context;
    if (side->key_asked)
        give(side, key, sizeof key);
    side->key_asked = false;
    for (uint8_t handle = 1; handle < HANDLES; handle++) {
        while (side->streams[handle] && side->on_the_way[handle] < side->share)
            send_frame(side, handle);
    }
}

static void to_host(void *context, const uint8_t *packet, size_t length)
{
    struct side *side = context;
    bool wakes = false;
    if (packet[0] == 2 && length > 2 && (packet[2] & 0x30) == 0x20) { /* a frame begins, and here it is whole */
        if (side->from != NULL)
            ys_samples_add(&side->latency_ms, (double)(ys_clock_now_ns(side->clock) -
                                                       side->from->stamps[side->from_handle][side->received % STAMPS]) /
                                                  1e6);
        side->received++;
    } else if (packet[0] == 4 && packet[1] == 0x13) { /* Number Of Completed Packets */
        side->on_the_way[packet[4]] = (uint8_t)(side->on_the_way[packet[4]] - packet[6]);
        wakes = true;
    } else if (packet[0] == 4 && packet[1] == 0x3e && packet[3] == 0x05) { /* LE Long Term Key Request */
        side->key_asked = wakes = true;
    } else if (packet[0] == 4 && packet[1] == 0x08) { /* Encryption Change */
        side->encrypted = true;
    } else if (packet[0] == 4 && packet[1] == 0x3e && packet[3] == 0x01) { /* LE Connection Complete */
        side->connected = true;
    }
    if (wakes)
        ys_clock_set(side->clock, &side->run, ys_clock_now_ns(side->clock));
}

static void begin_side(struct side *side, struct ys_radio *radio, uint16_t number)
{
    const struct ys_controller_settings settings = {
        .number = number,
        .seed = 1,
        .sets = 1,
        .address = {.bytes = {(uint8_t)number, (uint8_t)(number >> 8), 0, 0xff, 0xff, 0}},
        .buffer_count = BUFFERS,
        .send = to_host,
        .context = side,
    };
    side->clock = ys_radio_clock(radio);
    side->share = BUFFERS;
    side->run = (struct ys_timer){.fire = run, .context = side};
    side->controller = ys_controller_new(radio, &settings);
    if (side->controller == NULL)
        abort();
}

static void pass_ms(const struct side *side, uint64_t ms)
{
    ys_clock_run(side->clock, ys_clock_now_ns(side->clock) + ms * YS_NS_PER_MS);
}

/* The central connects with the device, every 30 ms, and has long packets on 2M. */
static void connect(struct side *device, uint16_t number, struct side *central, uint8_t handle)
{
    static const uint8_t parameters[] = {1, 6, 0x20, 15, 0x20, 0, 0x20, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 7, 0};
    static const uint8_t on[] = {1, 10, 0x20, 1, 1};
    uint8_t create[29] = {
        1, 0x0d, 0x20, 25, 0x10, 0, 0x10, 0, 0,    0, (uint8_t)number, (uint8_t)(number >> 8), 0, 0xff, 0xff,
        0, 0,    24,   0,  24,   0, 0,    0, 0x90, 1};
    uint8_t length[10] = {1, 0x22, 0x20, 6, handle, 0, 251, 0, 0x90, 0x42};
    const uint8_t phy[11] = {1, 0x32, 0x20, 7, 1, 0, 0, 2, 2, 0, 0};
    give(device, parameters, sizeof parameters);
    give(device, on, sizeof on);
    give(central, create, sizeof create);
    while (!central->connected)
        pass_ms(central, 10);
    give(device, length, sizeof length);
    length[4] = 1;
    give(central, length, sizeof length);
    pass_ms(central, 500);
    give(central, phy, sizeof phy);
    pass_ms(central, 1000);
}

static void encrypt(struct side *central)
{
    static const uint8_t enable[32] = {1, 0x19, 0x20, 28, 1, 0, 0, 0, 0, 0,  0,  0,  0,  0,  0,  0,
                                       1, 2,    3,    4,  5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15, 16};
    give(central, enable, sizeof enable);
    while (!central->encrypted)
        pass_ms(central, 10);
}

static void start(struct side *side, uint8_t handle)
{
    side->streams[handle] = true;
    ys_clock_set(side->clock, &side->run, ys_clock_now_ns(side->clock));
}

static int pairs(struct ys_radio *radio, unsigned long count, unsigned long milliseconds, bool encrypted)
{
    struct side *sides = calloc(2 * count, sizeof *sides);
    if (sides == NULL || count > 30000) {
        free(sides);
        return 1;
    }
    for (unsigned long i = 0; i < 2 * count; i++)
        begin_side(&sides[i], radio, (uint16_t)(i + 1));
    for (unsigned long i = 0; i < count; i++)
        connect(&sides[2 * i], (uint16_t)(2 * i + 1), &sides[2 * i + 1], 1);
    for (unsigned long i = 0; encrypted && i < count; i++)
        encrypt(&sides[2 * i + 1]);
    uint64_t before = ys_radio_count(radio);
    for (unsigned long i = 0; i < count; i++)
        start(&sides[2 * i], 1);
    pass_ms(sides, milliseconds);
    (void)printf("%llu\n", (unsigned long long)(ys_radio_count(radio) - before));
    for (unsigned long i = 0; i < 2 * count; i++)
        ys_controller_free(sides[i].controller);
    free(sides);
    return 0;
}

static int share(struct ys_radio *radio, unsigned long milliseconds)
{
    enum { CENTRALS = 4, STREAMS = 2 };
    struct side *sides = calloc(1 + CENTRALS, sizeof *sides);
    uint64_t before[1 + CENTRALS];
    if (sides == NULL)
        return 1;
    for (int i = 0; i <= CENTRALS; i++)
        begin_side(&sides[i], radio, (uint16_t)(i + 1));
    for (int i = 1; i <= CENTRALS; i++) {
        connect(sides, 1, &sides[i], (uint8_t)i);
        sides[i].from = sides;
        sides[i].from_handle = (uint8_t)i;
    }
    sides->share = BUFFERS / CENTRALS;
    for (int i = 1; i <= STREAMS; i++)
        start(sides, (uint8_t)i);
    pass_ms(sides, 1000);
    for (size_t i = 1; i <= CENTRALS; i++)
        before[i] = sides[i].received;
    for (unsigned long ms = 0; ms < milliseconds; ms += 250) { /* the others are sent a frame now and then */
        for (int i = STREAMS + 1; i <= CENTRALS; i++)
            send_frame(sides, (uint8_t)i);
        pass_ms(sides, 250);
    }
    (void)printf("[");
    for (size_t i = 1; i <= CENTRALS; i++)
        (void)printf("%s{\"frames\": %llu, \"goodput_bps\": %.0f, \"latency_ms\": {\"median\": %.1f, \"p95\": %.1f, "
                     "\"max\": %.1f}}",
                     i > 1 ? ", " : "", (unsigned long long)(sides[i].received - before[i]),
                     (double)(sides[i].received - before[i]) * (FRAME - 7) * 8000 / (double)milliseconds,
                     ys_samples_quantile(&sides[i].latency_ms, 0.5), ys_samples_quantile(&sides[i].latency_ms, 0.95),
                     ys_samples_quantile(&sides[i].latency_ms, 1));
    (void)printf("]\n");
    for (size_t i = 0; i <= CENTRALS; i++) {
        ys_samples_free(&sides[i].latency_ms);
        ys_controller_free(sides[i].controller);
    }
    free(sides);
    return 0;
}

int main(int argc, char **argv)
{
    struct ys_clock *clock = ys_clock_new();
    struct ys_radio *radio = clock != NULL ? ys_radio_new(clock) : NULL;
    unsigned long milliseconds = argc > 2 ? strtoul(argv[2], NULL, 10) : 1000;
    if (radio == NULL)
        return 1;
    int status = argc > 1 && strcmp(argv[1], "share") == 0
                     ? share(radio, milliseconds)
                     : pairs(radio, argc > 1 ? strtoul(argv[1], NULL, 10) : 1, milliseconds, argc > 3);
    ys_radio_free(radio);
    ys_clock_free(clock);
    return status;
}
