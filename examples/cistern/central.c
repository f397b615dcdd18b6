/* The central. It was built from the same definition, so it knows the handles. */
#include "central.h"

#include <yarnswift/advertisement.h>

#include "cistern_table.h"

/* So high the water may stand. */
#define HIGH_MM 1510

static void written(struct ys_client_request *request)
{
    struct central *central = request->context;
    central->failed = central->failed || request->outcome != YS_OUTCOME_DONE;
}

static void subscribe(struct central *central)
{
    central->request = (struct ys_client_request){.context = central, .on_done = written};
    (void)ys_client_subscribe(&central->host, central->connection, &central->request, CISTERN_LEVEL_CONFIGURATION,
                              YS_SUBSCRIBE_NOTIFICATIONS);
}

static void take_level(struct central *central, const struct ys_event *event)
{
    static const uint8_t on = 1;
    struct ys_reader reader = ys_reader_of(event->u.notification.value, event->u.notification.length);
    central->last_mm = ys_get_u16(&reader);
    central->values++;
    if (central->last_mm > central->highest_mm)
        central->highest_mm = central->last_mm;
    if (central->last_mm < HIGH_MM || central->pumps)
        return;
    central->pumps = true;
    (void)ys_client_write(&central->host, central->connection, &central->request, CISTERN_PUMP, &on, sizeof on);
}

void central_event(struct ys_host *host, void *context, const struct ys_event *event)
{
    static const struct ys_uuid service = {
        /* as `yarnswift table` prints it */
        16,
        {0x19, 0xc5, 0xd2, 0xe6, 0x40, 0x77, 0xb8, 0xa1, 0x07, 0x4f, 0x2e, 0x5c, 0x00, 0x00, 0x91, 0x3d}};
    static const struct ys_report_filter filter = {.service = &service};
    static const struct ys_scanning scanning = {.interval_us = 60000, .window_us = 30000, .filter = &filter};
    static const struct ys_connecting connecting = {.interval_us = 15000, .supervision_timeout_ms = 2000};
    struct central *central = context;
    switch (event->kind) {
    case YS_EVENT_READY:
        (void)ys_scan(host, &scanning);
        break;
    case YS_EVENT_REPORT:
        (void)ys_scan_stop(host);
        (void)ys_connect(host, &event->u.report.address, &connecting);
        break;
    case YS_EVENT_CONNECTED:
        central->connection = event->connection;
        subscribe(central);
        break;
    case YS_EVENT_NOTIFICATION:
        take_level(central, event);
        break;
    default:
        break;
    }
}
