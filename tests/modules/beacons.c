/* Firmware that advertises in two ways. It gives the host no memory for that if the environment says so. */
#include <stdlib.h>

#include <yarnswift/sets.h>
#include <yarnswift/workstation.h>

#include "beacons_table.h"

static struct ys_sets sets;

static void start(void *context, struct ys_host *host)
{
    (void)context;
    if (getenv("BEACONS_FORGET") == NULL)
        ys_host_use_sets(host, &sets);
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
