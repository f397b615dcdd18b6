/* Firmware that advertises in two ways. It gives the host memory for that only if it is built so. */
#include <yarnswift/sets.h>
#include <yarnswift/workstation.h>

#include "beacons_table.h"

#ifdef GIVES_MEMORY
static struct ys_sets sets;
#endif

static void start(void *context, struct ys_host *host)
{
    (void)context;
#ifdef GIVES_MEMORY
    ys_host_use_sets(host, &sets);
#endif
}

static void on_event(struct ys_host *host, void *context, const struct ys_event *event)
{
    (void)context;
    if (event->kind != YS_EVENT_READY)
        return;
    ys_host_log(host, "first", (uint32_t)ys_advertise_set(host, 0, &beacons_short_advertising));
    ys_host_log(host, "second", (uint32_t)ys_advertise_set(host, 1, &beacons_long_advertising));
    ys_host_log(host, "room for connections", YS_CONNECTIONS);
    ys_host_log(host, "room for sets", YS_SETS);
}

static const struct ys_firmware firmware = {.table = &beacons_table, .start = start, .on_event = on_event};

YS_MODULE(firmware);
