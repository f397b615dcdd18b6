/* The firmware of the Torvane T2: what it knows, and what its hardware tells it. */
#ifndef WRENCH_H
#define WRENCH_H

#include <stdbool.h>
#include <stdint.h>

#include <yarnswift/host.h>

#include "torque_wrench_table.h"

/* How often the timer interrupt reads the torque sensor. */
#define WRENCH_SAMPLE_MS 20

/* How long whoever holds the wrench may think about being armed from afar. */
#define WRENCH_PATIENCE_MS 5000

struct wrench {
    struct ys_host *host;
    volatile bool trigger;                   /* pulled by the person at the wrench */
    volatile int16_t torque;                 /* 0.1 N m */
    uint16_t preset;                         /* 0.1 N m: the clutch opens there */
    bool armed;                              /* from afar, with consent */
    uint32_t asked;                          /* the token of the access that waits for it, or 0 */
    volatile uint16_t patience;              /* samples until it is too late to consent */
    volatile uint8_t battery;                /* per cent */
    uint8_t pause;                           /* samples until the next bolt */
    uint16_t bolt;                           /* counted from 1 */
    volatile uint16_t angle;                 /* degrees since the bolt was snug */
    struct torque_wrench_bolt_result result; /* of the last bolt */
    struct ys_stream log;                    /* of all bolts, each as its result is sent */
    uint8_t log_memory[512];
};

/* Makes a wrench that talks through `host`. */
void wrench_init(struct wrench *wrench, struct ys_host *host);

/* Events of the host; `context` is the wrench. */
void wrench_event(struct ys_host *host, void *context, const struct ys_event *event);

/* The person pulls or lets go of the trigger. From the main loop: it may answer an access that waits. */
void wrench_trigger(struct wrench *wrench, bool pulled);

/* The battery is measured: per cent. From an interrupt, or the main loop. */
void wrench_battery(struct wrench *wrench, uint8_t percent);

/* The timer interrupt, every WRENCH_SAMPLE_MS. */
void wrench_timer_interrupt(struct wrench *wrench);

#endif
