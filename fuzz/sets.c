/* A host with sets, all at work, whose controller says anything: a row of packets, each after its length. Reports that
 * are told are whole, and the device that is never told to stop is never forgotten. */
#include <stdlib.h>

#include "hosted.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

static bool is_a_phy(uint8_t phy)
{
    return phy == YS_1M || phy == YS_2M || phy == YS_CODED;
}

static void on_event(const struct ys_event *event)
{
    const uint8_t *bytes = event->u.report.data;
    volatile uint8_t last;
    if (event->kind != YS_EVENT_REPORT)
        return;
    if (event->u.report.length > YS_REPORT_SIZE || event->u.report.type > YS_REPORT_RESPONSE)
        abort();
    if (event->u.report.length > 0)
        last = bytes[event->u.report.length - 1]; /* the sanitizers see whether it is there */
    (void)last;
    if (event->u.report.extended != NULL &&
        (!is_a_phy(event->u.report.extended->phy) || !is_a_phy(event->u.report.extended->primary_phy)))
        abort();
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    static const uint8_t payload[300] = {2, 1, 6};
    static const struct ys_set_options extended = {.extended = true, .phy = YS_2M, .events = 3};
    static const struct ys_advertising settings[] = {
        {.interval_min_us = 100000, .interval_max_us = 100000, .data = payload, .data_length = 31},
        {.interval_min_us = 100000,
         .interval_max_us = 100000,
         .kind = YS_ADVERTISE_BEACON,
         .data = payload,
         .data_length = sizeof payload,
         .options = &extended},
        {.interval_min_us = 100000,
         .interval_max_us = 100000,
         .findable = YS_FINDABLE_UNTIL_CONNECTED,
         .duration_ms = 1000},
    };
    static struct hosted hosted;
    static struct ys_sets sets;
    hosted_begin_with_sets(&hosted, &sets);
    hosted.on_event = on_event;
    for (uint8_t i = 0; i < 3; i++)
        (void)ys_advertise_set(&hosted.host, i, &settings[i]);
    (void)ys_scan(&hosted.host, &(struct ys_scanning){.interval_us = 60000, .window_us = 30000, .active = true});
    while (size > 0 && data[0] < size) {
        hosted_give(&hosted, data + 1, data[0]);
        hosted.now_ms += 100;
        size -= (size_t)data[0] + 1;
        data += (size_t)data[0] + 1;
    }
    ys_host_start(&hosted.host);
    return 0;
}
