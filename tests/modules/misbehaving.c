/* Firmware that does what it must not. Its static variables show whether two devices share them. */
#include <poll.h>
#include <stdlib.h>
#include <unistd.h>

#include <yarnswift/workstation.h>

#include "misbehaving_table.h"

enum trouble {
    NO_TROUBLE,
    BAD_MEMORY,
    DIVISION,
    ENDS_ITSELF,
    NEVER_COMES_BACK,
    LATER,
    WAITS,
    EXITS,
    EXITS_AT_ONCE,
    NEVER_RESTS,
    SPEAKS
};

static struct ys_host *our_host;
static volatile int trouble;
static uint16_t count;
static int64_t length = sizeof count; /* of what is put for it */
static volatile int nothing;
static struct ys_work restless;

static void make(int what)
{
    switch (what) {
    case BAD_MEMORY:
        *(volatile int *)(uintptr_t)nothing = 1; /* NOLINT: that is the trouble */
        break;
    case DIVISION:
        nothing = trouble / nothing;
        break;
    case ENDS_ITSELF:
        abort();
    case NEVER_COMES_BACK:
        while (nothing == 0)
            ;
        break;
    case WAITS:
        while (nothing == 0)
            (void)poll(NULL, 0, -1);
        break;
    case EXITS:
        exit(0);
    case EXITS_AT_ONCE:
        _exit(0);
    case NEVER_RESTS:
        ys_work_ask(&restless);
        break;
    case SPEAKS:
        (void)write(STDOUT_FILENO, "the rogue speaks\n", 17);
        break;
    default:
        break;
    }
}

uint8_t misbehaving_trouble_read(const struct ys_access *access, struct ys_writer *value)
{
    (void)access;
    ys_put_u8(value, (uint8_t)trouble);
    return YS_ATT_OK;
}

uint8_t misbehaving_trouble_write(const struct ys_access *access, struct ys_reader *value)
{
    (void)access;
    trouble = ys_get_u8(value);
    if (trouble != LATER)
        make(trouble);
    return YS_ATT_OK;
}

uint8_t misbehaving_count_read(const struct ys_access *access, struct ys_writer *value)
{
    (void)access;
    for (int64_t i = 0; i < length; i++)
        ys_put_u8(value, (uint8_t)(i < 2 ? count >> 8 * i : 0));
    return YS_ATT_OK;
}

/* It takes no time, and its end begins the next. */
static void never_rest(struct ys_host *host, void *context)
{
    (void)host;
    (void)context;
    (void)ys_work_after(&restless, 0);
}

static void start(void *context, struct ys_host *host)
{
    (void)context;
    our_host = host;
    ys_work_init(host, &restless, never_rest, NULL);
}

static void on_event(struct ys_host *host, void *context, const struct ys_event *event)
{
    (void)context;
    if (event->kind == YS_EVENT_READY)
        (void)ys_advertise(host, &misbehaving_advertising);
}

static void interrupt(void *context)
{
    (void)context;
    if (trouble == LATER)
        make(BAD_MEMORY);
}

static void add(void *context, int64_t value)
{
    (void)context;
    count = (uint16_t)(count + value);
    ys_host_changed(our_host, MISBEHAVING_COUNT);
    ys_host_log(our_host, "counted to", count);
}

static void fail(void *context, int64_t value)
{
    (void)context;
    make((int)value);
}

static void put(void *context, int64_t value)
{
    (void)context;
    length = value;
    ys_host_changed(our_host, MISBEHAVING_COUNT);
}

static const struct ys_input inputs[] = {
    {.name = "add", .set = add, .in_loop = true}, {.name = "fail", .set = fail}, {.name = "put", .set = put}};
static const struct ys_firmware firmware = {
    .table = &misbehaving_table,
    .start = start,
    .on_event = on_event,
    .interrupt = interrupt,
    .interrupt_every_us = 10000,
    .inputs = inputs,
    .input_count = sizeof inputs / sizeof inputs[0],
};

YS_MODULE(firmware);
