/* bench_air DEVICES MILLISECONDS [hall]: that many devices advertise every 100 ms, and one central scans; or, in a hall
 * of 60 m by 60 m with losses and collisions, twenty do. Prints how many packets were on the air. The difference
 * between two times is what the packets cost. */
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

#include "sim/controller.h"

static void give(struct ys_controller *controller, const uint8_t *packet, size_t length)
{
    ys_controller_receive(controller, packet, length);
}

#define HALL_M        60
#define HALL_SCANNERS 20

/* In rows over the hall. */
static bool place(struct ys_radio *radio, uint16_t number, unsigned long index, unsigned long count)
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

int main(int argc, char **argv)
{
    static const uint8_t parameters[] = {1, 6, 0x20, 15, 0xa0, 0, 0xa0, 0, 3, 0, 0, 0, 0, 0, 0, 0, 0, 7, 0};
    static const uint8_t data[36] = {1, 8, 0x20, 32, 31, 2, 1, 6, 27, 0xff, 0xff, 0xff};
    static const uint8_t on[] = {1, 10, 0x20, 1, 1};
    static const uint8_t scan[] = {1, 12, 0x20, 2, 1, 0};
    unsigned long devices = argc > 1 ? strtoul(argv[1], NULL, 10) : 1000;
    unsigned long milliseconds = argc > 2 ? strtoul(argv[2], NULL, 10) : 1000;
    bool hall = argc > 3;
    unsigned long scanners = hall ? HALL_SCANNERS : 1;
    struct ys_clock *clock = ys_clock_new();
    struct ys_radio *radio = ys_radio_new(clock);
    size_t told = 0;
    if (clock == NULL || radio == NULL || devices > 60000)
        return 1;
    struct ys_controller **controllers = calloc(devices + scanners, sizeof(struct ys_controller *));
    if (controllers == NULL || (hall && !ys_radio_set_model(radio, &ys_air_hall)))
        abort();
    for (unsigned long i = 0; i < devices + scanners; i++) {
        const struct ys_controller_settings settings = {.number = (uint16_t)(i + 1),
                                                        .seed = 1,
                                                        .address = {.bytes = {(uint8_t)i, (uint8_t)(i >> 8)}},
                                                        .buffer_count = 1,
                                                        .send = ignore,
                                                        .context = &told};
        controllers[i] = ys_controller_new(radio, &settings);
        if (controllers[i] == NULL ||
            (hall && !place(radio, (uint16_t)(i + 1), i < devices ? i : i - devices, i < devices ? devices : scanners)))
            abort();
        if (i >= devices) {
            give(controllers[i], scan, sizeof scan);
            continue;
        }
        give(controllers[i], parameters, sizeof parameters);
        give(controllers[i], data, sizeof data);
        ys_clock_run(clock, i * 100 * YS_NS_PER_MS / devices); /* not all at once */
        give(controllers[i], on, sizeof on);
    }
    ys_clock_run(clock, (100 + milliseconds) * YS_NS_PER_MS);
    (void)printf("%llu\n", (unsigned long long)ys_radio_count(radio));
    for (unsigned long i = 0; i < devices + scanners; i++)
        ys_controller_free(controllers[i]);
    free(controllers);
    ys_radio_free(radio);
    ys_clock_free(clock);
    return told > 0 ? 0 : 1;
}
