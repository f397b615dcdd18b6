/* Two simulated controllers on one air, each with a scripted host: 0 and 1. */
#ifndef SUPPORT_BENCH_H
#define SUPPORT_BENCH_H

#include "sim/controller.h"

#define AIR_MOST 4000

struct bench {
    struct ys_clock *clock;
    struct ys_radio *radio;
    struct ys_controller *controllers[2];
    size_t packet_count[2];
    uint8_t packets[2][512][300]; /* to each host */
    size_t lengths[2][512];
    size_t air_count;
    struct ys_air_packet air[AIR_MOST];
};

extern struct bench bench;

/* Fixtures. */
int bench_setup(void **state);
int bench_teardown(void **state);

/* A host sends this packet. */
void tell(size_t which, const char *hex);
/* The last packet to a host must be this. */
void assert_told(size_t which, const char *hex);
/* How many packets to a host began like this. */
size_t count_told(size_t which, const char *prefix);
void pass_us(uint64_t us);

/* The first advertises every 100 ms, and has something to say to who asks. */
void bench_advertise(void);
/* Connects the second to it, every 30 ms, with a supervision timeout of 1 s: each calls it 0x0001. */
void bench_connect(void);

#endif
