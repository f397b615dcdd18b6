/* The firmware of the Torvane T2: what it knows, and what its hardware tells it. */
#ifndef WRENCH_H
#define WRENCH_H

#include <stdbool.h>
#include <stdint.h>

#include <yarnswift/host.h>

#include "torque_wrench_table.h"

/* How often the timer interrupt reads the torque sensor. */
#define WRENCH_SAMPLE_MS 20

struct wrench {
    struct ys_host *host;
    volatile bool trigger;                   /* pulled by the person at the wrench */
    volatile int16_t torque;                 /* 0.1 N m */
    uint16_t preset;                         /* 0.1 N m: the clutch opens there */
    uint8_t battery;                         /* per cent */
    uint8_t pause;                           /* samples until the next bolt */
    uint16_t bolt;                           /* counted from 1 */
    volatile uint16_t angle;                 /* degrees since the bolt was snug */
    struct torque_wrench_bolt_result result; /* of the last bolt */
};

/* Makes a wrench that talks through `host`. */
void wrench_init(struct wrench *wrench, struct ys_host *host);

/* Events of the host; `context` is the wrench. */
void wrench_event(struct ys_host *host, void *context, const struct ys_event *event);

/* The person pulls or lets go of the trigger. Safe from an interrupt. */
void wrench_trigger(struct wrench *wrench, bool pulled);

/* The timer interrupt, every WRENCH_SAMPLE_MS. */
void wrench_timer_interrupt(struct wrench *wrench);

#endif
