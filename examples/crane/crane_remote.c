/* The remote: it finds its hoist by itself, and drives it for as long as a button is held. */
#include <yarnswift/remote.h>
#include <yarnswift/sets.h>
#include <yarnswift/workstation.h>

#include "crane_remote_table.h"
#include "hoist_client.h"

static struct ys_sets sets;
static struct ys_remote hoist;
static bool up, down; /* what is held */

static void on_value(struct ys_remote *remote, uint8_t item, struct ys_reader *value)
{
    uint16_t height; /* 0.01 m */
    if (item == HOIST_CLIENT_HEIGHT && hoist_height_get(value, &height) && height % 100 == 0)
        ys_host_log(remote->host, "shows, in m:", height / 100u);
}

static const struct ys_remote_settings settings = {
    .plan = &hoist_client,
    .places = (struct ys_remote_place[HOIST_CLIENT_PLACES]){{0}},
    .subscribe = (const uint8_t[]){HOIST_CLIENT_HEIGHT},
    .subscribe_count = 1,
    .memory = (uint8_t[2 * 2]){0},
    .size = 2,
    .scanning = &crane_remote_scanning,
    .on_value = on_value,
};

static void start(void *context, struct ys_host *host)
{
    (void)context;
    ys_host_use_sets(host, &sets);
    (void)ys_remote_init(host, &hoist, &settings);
    (void)ys_remote_search(&hoist);
}

static void on_event(struct ys_host *host, void *context, const struct ys_event *event)
{
    (void)host;
    (void)context;
    (void)ys_remote_event(&hoist, event);
}

static void press(bool *button, int64_t value)
{
    *button = value != 0;
    const uint8_t drive = up == down ? 0 : up ? 1 : 2;
    if (ys_remote_write(&hoist, HOIST_CLIENT_DRIVE, &drive, 1) != YS_OK)
        ys_host_log(hoist.host, "has no hoist", 0);
}

static void set_up(void *context, int64_t value)
{
    (void)context;
    press(&up, value);
}

static void set_down(void *context, int64_t value)
{
    (void)context;
    press(&down, value);
}

static const struct ys_input inputs[] = {
    {.name = "up", .set = set_up, .in_loop = true}, /* the main loop looks at its buttons */
    {.name = "down", .set = set_down, .in_loop = true},
};
static const struct ys_firmware firmware = {
    .table = &crane_remote_table, .start = start, .on_event = on_event, .inputs = inputs, .input_count = 2};

YS_MODULE(firmware);
