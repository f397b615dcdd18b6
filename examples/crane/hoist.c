/* The hoist: it moves as it is told, and stops as soon as nobody is there to stop it. */
#include <yarnswift/sets.h>
#include <yarnswift/workstation.h>

#include "hoist_table.h"

#define STEP_MS 100u
#define STEP_CM 5

static struct {
    struct ys_sets sets;
    struct ys_work move;
    uint8_t drive;   /* 0 stop, 1 up, 2 down */
    uint16_t height; /* 0.01 m */
} hoist = {.height = 200};

uint8_t hoist_drive_write(const struct ys_access *access, struct ys_reader *value)
{
    hoist.drive = ys_get_u8(value);
    ys_host_log(access->host, "drives", hoist.drive);
    return YS_ATT_OK;
}

uint8_t hoist_height_read(const struct ys_access *access, struct ys_writer *value)
{
    (void)access;
    hoist_height_put(value, hoist.height);
    return YS_ATT_OK;
}

static void move(struct ys_host *host, void *context)
{
    (void)context;
    if (hoist.drive == 1 && hoist.height < 4000)
        hoist.height += STEP_CM;
    else if (hoist.drive == 2 && hoist.height > 0)
        hoist.height -= STEP_CM;
    else
        return;
    ys_host_changed(host, HOIST_HEIGHT);
}

static void start(void *context, struct ys_host *host)
{
    (void)context;
    ys_host_use_sets(host, &hoist.sets);
    ys_work_init(host, &hoist.move, move, NULL);
    (void)ys_work_every(&hoist.move, STEP_MS);
}

static void on_event(struct ys_host *host, void *context, const struct ys_event *event)
{
    (void)context;
    if (event->kind == YS_EVENT_READY)
        (void)ys_advertise(host, &hoist_advertising);
    if (event->kind == YS_EVENT_DISCONNECTED && hoist.drive != 0) {
        hoist.drive = 0;
        ys_host_log(host, "has lost its remote, and stops at, in cm:", hoist.height);
    }
}

static uint8_t values[HOIST_VALUES_SIZE];
static const struct ys_firmware firmware = {
    .table = &hoist_table, .values = values, .start = start, .on_event = on_event};

YS_MODULE(firmware);
