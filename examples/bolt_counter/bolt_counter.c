/* The bolt counter: a contact that bounces, a queue of values that must all arrive, and a display. */
#include <stdio.h>

#include <yarnswift/outbox.h>
#include <yarnswift/workstation.h>

#include "bolt_counter_table.h"

#define BOUNCE_MS 5u

static struct {
    struct ys_outbox bolts;
    uint8_t memory[YS_OUTBOX_SIZE(32, 4)];
    struct ys_work edge;    /* asked for by the interrupt */
    struct ys_work settled; /* once the contact has been still */
    volatile bool blocked;  /* what the barrier says now; of the interrupt */
    bool seen;              /* what it said when it was still */
    uint16_t count;
    uint32_t last_ms;
} counter;

static void on_edge(struct ys_host *host, void *context)
{
    (void)host;
    (void)context;
    (void)ys_work_after(&counter.settled, BOUNCE_MS); /* each edge begins it anew */
}

static void on_settled(struct ys_host *host, void *context)
{
    uint8_t bytes[4];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    uint32_t now_ms = ys_host_now_ms(host);
    bool passed = counter.blocked && !counter.seen;
    (void)context;
    counter.seen = counter.blocked;
    if (!passed)
        return;
    const struct bolt_counter_bolt bolt = {.number = ++counter.count,
                                           .pause = (uint16_t)((now_ms - counter.last_ms) / 100)};
    counter.last_ms = now_ms;
    bolt_counter_bolt_put(&writer, &bolt);
    if (!ys_outbox_put(&counter.bolts, bytes, sizeof bytes))
        ys_host_log(host, "has no room for more bolts, lost so far", ys_outbox_refused(&counter.bolts));
    ys_host_changed(host, BOLT_COUNTER_DISPLAY);
}

uint8_t bolt_counter_display_read(const struct ys_access *access, struct ys_writer *value)
{
    char text[21];
    (void)access;
    (void)snprintf(text, sizeof text, "%u bolts", counter.count);
    ys_put_text(value, text);
    return YS_ATT_OK;
}

static void start(void *context, struct ys_host *host)
{
    (void)context;
    ys_work_init(host, &counter.edge, on_edge, NULL);
    ys_work_init(host, &counter.settled, on_settled, NULL);
    (void)ys_outbox_open(host, &counter.bolts, BOLT_COUNTER_BOLT, counter.memory, sizeof counter.memory);
}

static void on_event(struct ys_host *host, void *context, const struct ys_event *event)
{
    (void)context;
    if (event->kind == YS_EVENT_READY)
        (void)ys_advertise(host, &bolt_counter_advertising);
}

static void set_barrier(void *context, int64_t value)
{
    (void)context;
    counter.blocked = value != 0;
    ys_work_ask(&counter.edge);
}

static const struct ys_input inputs[] = {{.name = "barrier", .set = set_barrier}};
static const struct ys_firmware firmware = {
    .table = &bolt_counter_table, .start = start, .on_event = on_event, .inputs = inputs, .input_count = 1};

YS_MODULE(firmware);
