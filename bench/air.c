/* bench_air DEVICES MILLISECONDS [WHERE [SCANNERS [INTERVAL_MS]]]: that many devices advertise at an interval of 100 ms
 * or another, and one central or so many scan. WHERE is "open", where everybody hears everybody, or "hall", of 60 m by
 * 60 m with losses and collisions, where twenty scan unless it is said otherwise. Prints how many packets were on the
 * air; the difference between two times is what they cost.
 *
 * bench_air DEVICES memory: prints how many bytes a device takes that advertises. */
#include <malloc.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "sim/controller.h"

#define HALL_M        60
#define HALL_SCANNERS 20
#define DEVICES_MOST  1000000

struct crowd {
    unsigned long devices;
    unsigned long scanners;
    unsigned long interval_ms;
    bool hall;
    struct ys_clock *clock;
    struct ys_radio *radio;
    struct ys_controller **controllers;
    size_t told;
};

static void give(struct ys_controller *controller, const uint8_t *packet, size_t length)
{
    ys_controller_receive(controller, packet, length);
}

/* In rows over the hall. */
static bool place(struct ys_radio *radio, uint32_t number, unsigned long index, unsigned long count)
{
    unsigned long columns = (unsigned long)ceil(sqrt((double)count));
    double step_m = (double)HALL_M / (double)columns;
    unsigned long row = index / columns;
    unsigned long column = index % columns;
    return ys_radio_place(radio, number, ((double)column + 0.5) * step_m, ((double)row + 0.5) * step_m);
}

static void ignore(void *context, const uint8_t *packet, size_t length)
{
    (void)packet;
    *(size_t *)context += length;
}

static void advertise(const struct crowd *crowd, unsigned long i)
{
    static const uint8_t data[36] = {1, 8, 0x20, 32, 31, 2, 1, 6, 27, 0xff, 0xff, 0xff};
    static const uint8_t on[] = {1, 10, 0x20, 1, 1};
    unsigned long interval = crowd->interval_ms * 8 / 5; /* 0.625 ms */
    const uint8_t low = (uint8_t)interval;
    const uint8_t high = (uint8_t)(interval >> 8);
    const uint8_t parameters[] = {1, 6, 0x20, 15, low, high, low, high, 3, 0, 0, 0, 0, 0, 0, 0, 0, 7, 0};
    give(crowd->controllers[i], parameters, sizeof parameters);
    give(crowd->controllers[i], data, sizeof data);
    ys_clock_run(crowd->clock, i * crowd->interval_ms * YS_NS_PER_MS / crowd->devices); /* not all at once */
    give(crowd->controllers[i], on, sizeof on);
}

static void begin(struct crowd *crowd)
{
    static const uint8_t scan[] = {1, 12, 0x20, 2, 1, 0};
    unsigned long count = crowd->devices + crowd->scanners;
    crowd->clock = ys_clock_new();
    crowd->radio = crowd->clock != NULL ? ys_radio_new(crowd->clock) : NULL;
    crowd->controllers = calloc(count, sizeof(struct ys_controller *));
    if (crowd->radio == NULL || crowd->controllers == NULL ||
        (crowd->hall && !ys_radio_set_model(crowd->radio, &ys_air_hall)))
        abort();
    for (unsigned long i = 0; i < count; i++) {
        bool scans = i >= crowd->devices;
        unsigned long index = scans ? i - crowd->devices : i;
        const struct ys_controller_settings settings = {
            .number = (uint32_t)(i + 1),
            .seed = 1,
            .address = {.bytes = {(uint8_t)i, (uint8_t)(i >> 8), (uint8_t)(i >> 16)}},
            .buffer_count = 1,
            .send = ignore,
            .context = &crowd->told};
        crowd->controllers[i] = ys_controller_new(crowd->radio, &settings);
        if (crowd->controllers[i] == NULL ||
            (crowd->hall && !place(crowd->radio, settings.number, index, scans ? crowd->scanners : crowd->devices)))
            abort();
        if (scans)
            give(crowd->controllers[i], scan, sizeof scan);
        else
            advertise(crowd, i);
    }
}

static void end(struct crowd *crowd)
{
    for (unsigned long i = 0; i < crowd->devices + crowd->scanners; i++)
        ys_controller_free(crowd->controllers[i]);
    free(crowd->controllers);
    ys_radio_free(crowd->radio);
    ys_clock_free(crowd->clock);
}

int main(int argc, char **argv)
{
    struct crowd crowd = {
        .devices = argc > 1 ? strtoul(argv[1], NULL, 10) : 1000,
        .hall = argc > 3 && strcmp(argv[3], "hall") == 0,
        .interval_ms = argc > 5 ? strtoul(argv[5], NULL, 10) : 100,
    };
    bool memory = argc > 2 && strcmp(argv[2], "memory") == 0;
    crowd.scanners = argc > 4 ? strtoul(argv[4], NULL, 10) : crowd.hall ? HALL_SCANNERS : 1;
    if (crowd.devices == 0 || crowd.devices > DEVICES_MOST || crowd.interval_ms < 20 || crowd.interval_ms > 10240)
        return 1;
    size_t before = mallinfo2().uordblks;
    begin(&crowd);
    if (memory) {
        (void)printf("%zu\n", (mallinfo2().uordblks - before) / (crowd.devices + crowd.scanners));
    } else {
        unsigned long milliseconds = argc > 2 ? strtoul(argv[2], NULL, 10) : 1000;
        ys_clock_run(crowd.clock, (crowd.interval_ms + milliseconds) * YS_NS_PER_MS);
        (void)printf("%llu\n", (unsigned long long)ys_radio_count(crowd.radio));
    }
    end(&crowd);
    return crowd.told > 0 ? 0 : 1;
}
