/* A world in real time: each millisecond of it waits for the wall clock. Bytes that arrive at lines meanwhile are
 * handled, and take no virtual time. */
#ifndef CLI_SHARED_PACE_H
#define CLI_SHARED_PACE_H

#include <poll.h>
#include <stdbool.h>
#include <stdio.h>

#include "world/world.h"

#define PACE_LINES_MOST 16

/* A line: its descriptor, and the functions that are called when bytes arrive and once a millisecond. */
struct pace_line {
    struct pollfd (*waits)(void *context);
    void (*turn)(void *context);
    void *context;
};

struct pace {
    struct ys_world *world;
    struct ys_timer timer;
    struct pace_line lines[PACE_LINES_MOST];
    size_t count;
    uint64_t began_ns;  /* of the wall, when the world's time was 0; later, if that was given up */
    uint64_t behind_ns; /* at most */
    uint64_t given_up_ns;
    unsigned times;
};

/* From now on the signals that end a program have time not wait any more, and are noted. */
void pace_mind_signals(void);
bool pace_is_interrupted(void);

/* Time keeps to the wall from now on, until it ends. Lines are added before. */
void pace_begin(struct pace *pace);
void pace_end(struct pace *pace);

/* How it went: "for 3.1 s, at most 0.5 ms after the clock". */
void pace_print(FILE *stream, const struct pace *pace);

#endif
