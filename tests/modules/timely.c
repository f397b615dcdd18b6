/* Firmware that has time: a contact that bounces, a light that blinks, an answer that takes two seconds, a loop. */
#include <yarnswift/workstation.h>

#include "timely_table.h"

#define BOUNCE_MS 5
#define BLINK_MS  250
#define ANSWER_MS 2000
#define LOOP_MS   100

struct timely {
    struct ys_host *host;
    uint16_t count;
    uint16_t blinks;
    uint16_t loops;
    uint32_t asked;
    bool is_closed;
    struct ys_work contact;
    struct ys_work settled;
    struct ys_work blink;
    struct ys_work answer;
};

static struct timely timely;

static void count_it(struct ys_host *host, void *context)
{
    (void)context;
    timely.count = (uint16_t)(timely.count + timely.is_closed);
    ys_host_changed(host, TIMELY_COUNT);
}

static void let_it_settle(struct ys_host *host, void *context)
{
    (void)host;
    (void)context;
    (void)ys_work_after(&timely.settled, BOUNCE_MS);
}

static void blink(struct ys_host *host, void *context)
{
    (void)host;
    (void)context;
    timely.blinks++;
}

static void answer(struct ys_host *host, void *context)
{
    const uint8_t value[2] = {42, 0};
    (void)context;
    (void)ys_answer(host, timely.asked, YS_ATT_OK, value, sizeof value);
}

uint8_t timely_count_read(const struct ys_access *access, struct ys_writer *value)
{
    (void)access;
    ys_put_u16(value, timely.count);
    return YS_ATT_OK;
}

uint8_t timely_blinks_read(const struct ys_access *access, struct ys_writer *value)
{
    (void)access;
    ys_put_u16(value, timely.blinks);
    return YS_ATT_OK;
}

uint8_t timely_delayed_read(const struct ys_access *access, struct ys_writer *value)
{
    (void)value;
    timely.asked = access->token;
    (void)ys_work_after(&timely.answer, ANSWER_MS);
    return YS_LATER;
}

uint8_t timely_turns_read(const struct ys_access *access, struct ys_writer *value)
{
    (void)access;
    ys_put_u16(value, timely.loops);
    return YS_ATT_OK;
}

static void start(void *context, struct ys_host *host)
{
    (void)context;
    timely.host = host; /* all else is 0 after a reset */
    ys_work_init(host, &timely.contact, let_it_settle, NULL);
    ys_work_init(host, &timely.settled, count_it, NULL);
    ys_work_init(host, &timely.blink, blink, NULL);
    ys_work_init(host, &timely.answer, answer, NULL);
    (void)ys_work_every(&timely.blink, BLINK_MS);
}

static void on_event(struct ys_host *host, void *context, const struct ys_event *event)
{
    (void)context;
    if (event->kind == YS_EVENT_READY)
        (void)ys_advertise(host, &timely_advertising);
}

static uint32_t loop(void *context, struct ys_host *host)
{
    static uint32_t next_ms;
    (void)context;
    uint32_t now_ms = ys_host_now_ms(host);
    if ((int32_t)(now_ms - next_ms) < 0)
        return next_ms - now_ms;
    timely.loops++;
    next_ms = now_ms + LOOP_MS;
    return LOOP_MS;
}

static void close_contact(void *context, int64_t value)
{
    (void)context;
    timely.is_closed = value != 0;
    ys_work_ask(&timely.contact);
}

/* What no interrupt may do. */
static void stop(void *context, int64_t value)
{
    (void)context;
    (void)value;
    ys_host_log(timely.host, "stopped with", (uint32_t)ys_advertise_stop(timely.host));
}

static const struct ys_input inputs[] = {{.name = "contact", .set = close_contact},
                                         {.name = "stop in an interrupt", .set = stop},
                                         {.name = "stop in the loop", .set = stop, .in_loop = true}};
static const struct ys_firmware firmware = {
    .table = &timely_table,
    .start = start,
    .on_event = on_event,
    .loop = loop,
    .inputs = inputs,
    .input_count = sizeof inputs / sizeof inputs[0],
};

YS_MODULE(firmware);
