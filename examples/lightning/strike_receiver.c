/* The receiver of strikes. */
#include <yarnswift/remote.h>
#include <yarnswift/workstation.h>

#include "lightning_logger_client.h"
#include "strike_receiver_table.h"

static struct ys_remote tower;

static void on_value(struct ys_remote *remote, uint8_t item, struct ys_reader *value)
{
    struct lightning_logger_strike strike;
    if (item != LIGHTNING_LOGGER_CLIENT_STRIKE || !lightning_logger_strike_get(value, &strike))
        return;
    ys_host_log(remote->host, "strike", strike.number);
    if ((strike.known & LIGHTNING_LOGGER_STRIKE_KNOWN_DISTANCE) != 0)
        ys_host_log(remote->host, "was as far, in m, as", strike.distance);
    if ((strike.known & LIGHTNING_LOGGER_STRIKE_KNOWN_CURRENT) != 0)
        ys_host_log(remote->host, "was as strong, in 100 A, as", strike.current);
}

static const struct ys_remote_settings settings = {
    .plan = &lightning_logger_client,
    .places = (struct ys_remote_place[LIGHTNING_LOGGER_CLIENT_PLACES]){{0}},
    .subscribe = (const uint8_t[]){LIGHTNING_LOGGER_CLIENT_STRIKE},
    .subscribe_count = 1,
    .scanning = &strike_receiver_scanning,
    .on_value = on_value,
};

static void start(void *context, struct ys_host *host)
{
    (void)context;
    (void)ys_remote_init(host, &tower, &settings);
    (void)ys_remote_search(&tower);
}

static void on_event(struct ys_host *host, void *context, const struct ys_event *event)
{
    (void)host;
    (void)context;
    (void)ys_remote_event(&tower, event);
}

static const struct ys_firmware firmware = {.table = &strike_receiver_table, .start = start, .on_event = on_event};

YS_MODULE(firmware);
