/* The Torvane T2 on a workstation: what stands for its buttons and its timer in the demo and in scenes. */
#include <yarnswift/workstation.h>

#include "wrench.h"

static struct wrench wrench;

static void start(void *context, struct ys_host *host)
{
    wrench_init(context, host);
}

static void interrupt(void *context)
{
    wrench_timer_interrupt(context);
}

static void trigger(void *context, int64_t value)
{
    wrench_trigger(context, value != 0);
}

static void battery(void *context, int64_t value)
{
    wrench_battery(context, (uint8_t)value);
}

static const struct ys_input inputs[] = {{.name = "trigger", .set = trigger, .in_loop = true},
                                         {.name = "battery level", .set = battery}};

static const struct ys_firmware firmware = {
    .table = &torque_wrench_table,
    .context = &wrench,
    .start = start,
    .on_event = wrench_event,
    .interrupt = interrupt,
    .interrupt_every_us = WRENCH_SAMPLE_MS * 1000,
    .inputs = inputs,
    .input_count = sizeof inputs / sizeof inputs[0],
};

YS_MODULE(firmware);
