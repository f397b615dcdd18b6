/* A scene that was played once, and all that happened. */
#ifndef SCENE_TAKE_H
#define SCENE_TAKE_H

#include "design/model/finding.h"
#include "emulated/target.h"
#include "measure/charge.h"
#include "world/world.h"

/* How a take has ended. */
enum ys_ending { YS_TAKE_PASSED, YS_TAKE_FAILED, YS_TAKE_BROKEN };

/* A step that was done. Its texts are its own. */
struct ys_done_step {
    uint64_t began_ns;
    uint64_t ended_ns;
    int line; /* of the file */
    char *who;
    char *what;
    char *expected;
    char *came;
    bool passed;
};

/* A line of the log. */
struct ys_log_line {
    uint64_t at_ns;
    enum ys_side side;
    char *who;
    char *text;
};

/* What a device has drawn. */
struct ys_spent {
    char *who;
    double mean_ua;
    struct ys_charge charge;
    double days; /* that its battery lasts like this; 0: not known */
};

/* A kind of call of firmware in an image, and the instructions that it took. */
struct ys_image_call {
    char *what;
    uint32_t calls;
    double mean;
    double most;
};

/* Results of an image. Calls and stack are those since it was last switched on. */
struct ys_image_told {
    char *who;
    struct ys_target_sizes sizes;
    uint32_t stack_deepest; /* bytes */
    double wakes_an_hour;
    struct ys_image_call *calls;
    size_t call_count;
};

/* A scene that was played once. */
struct ys_take {
    uint64_t seed;
    enum ys_ending ending;
    struct ys_place place; /* YS_TAKE_BROKEN: of the problem, and the problem */
    char *problem;
    struct ys_done_step *steps;
    size_t step_count;
    struct ys_log_line *lines;
    size_t line_count;
    char **packets; /* the last before a failure, in words */
    size_t packet_count;
    double simulated_s;
    uint64_t air_packets;
    struct ys_spent *spent; /* by devices whose definition says what their hardware draws */
    size_t spent_count;
    struct ys_image_told *images;
    size_t image_count;
};

void ys_take_clear(struct ys_take *take);

#endif
