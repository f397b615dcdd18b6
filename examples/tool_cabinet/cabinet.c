/* The firmware of the tool cabinet: it shows a passkey, and opens for whoever has paired with it. */
#include <yarnswift/pairing.h>
#include <yarnswift/workstation.h>

#include "tool_cabinet_table.h"

static struct {
    struct ys_host *host;
    struct ys_pairing pairing;
    uint8_t values[TOOL_CABINET_VALUES_SIZE];
    volatile uint8_t door; /* 1: open */
    uint8_t stock;
    uint8_t lock; /* 1: unlocked */
} cabinet;

uint8_t tool_cabinet_door_read(const struct ys_access *access, struct ys_writer *value)
{
    (void)access;
    tool_cabinet_door_put(value, cabinet.door);
    return YS_ATT_OK;
}

uint8_t tool_cabinet_stock_read(const struct ys_access *access, struct ys_writer *value)
{
    (void)access;
    tool_cabinet_stock_put(value, cabinet.stock);
    return YS_ATT_OK;
}

uint8_t tool_cabinet_lock_read(const struct ys_access *access, struct ys_writer *value)
{
    (void)access;
    tool_cabinet_lock_put(value, cabinet.lock);
    return YS_ATT_OK;
}

uint8_t tool_cabinet_lock_write(const struct ys_access *access, struct ys_reader *value)
{
    (void)access;
    (void)tool_cabinet_lock_get(value, &cabinet.lock); /* of its length and in its range: all else has been refused */
    return YS_ATT_OK;
}

static void start(void *context, struct ys_host *host)
{
    (void)context;
    cabinet.host = host;
    cabinet.stock = 31;
    enum ys_result result = ys_host_use_pairing(host, &cabinet.pairing, &tool_cabinet_security);
    if (result != YS_OK)
        ys_host_log(host, ys_result_text(result), 0);
}

static void on_event(struct ys_host *host, void *context, const struct ys_event *event)
{
    (void)context;
    if (event->kind == YS_EVENT_READY)
        (void)ys_advertise(host, &tool_cabinet_advertising);
    else if (event->kind == YS_EVENT_PASSKEY_SHOW)
        ys_host_log(host, "on its display:", event->u.passkey);
}

static void door(void *context, int64_t value)
{
    (void)context;
    cabinet.door = value != 0;
    ys_host_changed(cabinet.host, TOOL_CABINET_DOOR);
}

/* Somebody holds the button in the cabinet: it forgets all peers. */
static void forget(void *context, int64_t value)
{
    (void)context;
    if (value != 0)
        (void)ys_bond_forget(cabinet.host, 0);
}

static const struct ys_input inputs[] = {{.name = "door", .set = door},
                                         {.name = "forget", .set = forget, .in_loop = true}};

static const struct ys_firmware firmware = {
    .table = &tool_cabinet_table,
    .values = cabinet.values,
    .start = start,
    .on_event = on_event,
    .inputs = inputs,
    .input_count = sizeof inputs / sizeof inputs[0],
};

YS_MODULE(firmware);
