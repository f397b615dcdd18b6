/* bench_read COUNT: a host answers that many read requests of the live torque, from HCI in to HCI out. The difference
 * between two counts is what the requests cost. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <yarnswift/host.h>

#include "torque_wrench_table.h"
#include "wrench.h"

struct bench {
    const uint8_t *packet;
    size_t length;
    size_t sent;
};

static void send(void *context, const uint8_t *packet, size_t length)
{
    (void)packet;
    (void)length;
    ((struct bench *)context)->sent++;
}

static const uint8_t *receive(void *context, size_t *length)
{
    struct bench *bench = context;
    const uint8_t *packet = bench->packet;
    *length = bench->length;
    bench->packet = NULL;
    return packet;
}

static uint32_t now_ms(void *context)
{
    (void)context;
    return 0;
}

static void critical(void *context)
{
    (void)context;
}

static struct ys_host host;
static struct bench bench;

static void give(const uint8_t *packet, size_t length)
{
    bench.packet = packet;
    bench.length = length;
    (void)ys_host_run(&host);
}

int main(int argc, char **argv)
{
    static const uint8_t start[][16] = {
        {4, 0x0e, 4, 1, 0x03, 0x0c, 0},
        {4, 0x0e, 12, 1, 0x03, 0x10, 0, 0, 0, 0, 0, 0x40, 0, 0, 0},
        {4, 0x0e, 12, 1, 0x03, 0x20, 0, 0, 0, 0, 0, 0, 0, 0, 0},
        {4, 0x0e, 4, 1, 0x01, 0x0c, 0},
        {4, 0x0e, 4, 1, 0x01, 0x20, 0},
        {4, 0x0e, 7, 1, 0x02, 0x20, 0, 251, 0, 8},
        {4, 0x0e, 10, 1, 0x09, 0x10, 0, 1, 2, 3, 4, 5, 6},
    };
    static const uint8_t connected[] = {4, 0x3e, 19, 1, 0, 1, 0, 1, 0, 1, 2, 3, 4, 5, 6, 24, 0, 0, 0, 0x90, 1, 0};
    static const uint8_t read[] = {2, 1, 0x20, 7, 0, 3, 0, 4, 0, 0x0a, TORQUE_WRENCH_LIVE_TORQUE, 0};
    static const uint8_t completed[] = {4, 0x13, 5, 1, 1, 0, 8, 0};
    static struct wrench wrench;
    static const struct ys_port port = {
        .context = &bench,
        .send = send,
        .receive = receive,
        .now_ms = now_ms,
        .enter_critical = critical,
        .leave_critical = critical,
    };
    const struct ys_host_settings settings = {.port = &port, .table = &torque_wrench_table, .context = &wrench};
    size_t count = argc > 1 ? strtoul(argv[1], NULL, 10) : 1000;
    wrench_init(&wrench, &host);
    if (ys_host_init(&host, sizeof host, &settings) != YS_OK)
        return 1;
    ys_host_start(&host);
    (void)ys_host_run(&host);
    for (size_t i = 0; i < sizeof start / sizeof start[0]; i++)
        give(start[i], (size_t)start[i][2] + 3);
    give(connected, sizeof connected);
    bench.sent = 0;
    for (size_t i = 0; i < count; i++) {
        give(read, sizeof read);
        if (i % 8 == 7) /* all eight buffers come back at once */
            give(completed, sizeof completed);
    }
    (void)printf("%zu\n", bench.sent);
    return bench.sent == count ? 0 : 1;
}
