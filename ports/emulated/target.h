/* A device whose firmware runs elsewhere and keeps step: the workstation's side of the step line. */
#ifndef PORTS_EMULATED_TARGET_H
#define PORTS_EMULATED_TARGET_H

#include "emulated/elf.h"
#include "step/step_event.h"

struct ys_target;

/* The counts of a report, as in struct ys_step_count; `instructions` is the sum of all calls, `most` the greatest of
 * one. */
struct ys_target_count {
    char kind;
    uint16_t number;
    uint32_t calls;
    double instructions;
    double most;
};

/* The properties of an image; of a target at lines only its stack size is known. */
struct ys_target_sizes {
    uint32_t flash; /* bytes; all, and by part: */
    uint32_t flash_host;
    uint32_t flash_port;
    uint32_t flash_table;
    uint32_t ram; /* without the stack */
    uint32_t ram_host;
    uint32_t ram_port;
    uint32_t stack;
};

/* What the owner of a target is told. All are called from ys_target_turn and get `context` back. */
struct ys_target_calls {
    void (*packet)(void *context, const uint8_t *packet, size_t length); /* to its controller */
    void (*event)(void *context, const struct ys_step_event *event);
    void (*log)(void *context, const char *text, uint32_t value);
};

/* What the path of a target begins with that is no file, but there already: step:HCI,STEP[,RATE] are its two lines. */
#define YS_TARGET_LINES "step:"

/* Opens an image: reads its file, and starts it as far as it goes without a controller; or waits for the target that is
 * at two lines to be reset. `stamp` is that of the table which it must have. NULL, and why with what to do in
 * `problem`. `calls` must stay valid. */
struct ys_target *ys_target_open(const char *path, uint32_t stamp, const struct ys_target_calls *calls, void *context,
                                 char *problem, size_t size);
void ys_target_close(struct ys_target *target);

/* Its inputs; NULL after the last. */
const char *ys_target_input(const struct ys_target *target, size_t i);

/* Starts it again, at this time, as after a reset; its flash is kept. False if that fails. The second stops it, as
 * without power. */
bool ys_target_reset(struct ys_target *target, uint64_t now_us);
void ys_target_stop(struct ys_target *target);

/* What it will find in its next turn: an input has changed; a packet from its controller has come. */
void ys_target_set(struct ys_target *target, size_t input, int64_t value);
void ys_target_give(struct ys_target *target, const uint8_t *packet, size_t length);

/* Lets it run until it sleeps again, and returns the time until which it sleeps; UINT64_MAX: until an input or a
 * packet. False if it has failed; see ys_target_problem. */
bool ys_target_turn(struct ys_target *target, uint64_t now_us, uint64_t *until_us);
const char *ys_target_problem(const struct ys_target *target);

/* Requests its reports; false if it has failed. Then reads them one by one; false after the last. */
bool ys_target_report(struct ys_target *target);
bool ys_target_count(const struct ys_target *target, size_t i, struct ys_target_count *count);

/* The deepest stack that it has reported, in bytes; 0: it has not. */
uint32_t ys_target_stack(const struct ys_target *target);
uint64_t ys_target_wakes(const struct ys_target *target);
void ys_target_sizes(const struct ys_target *target, struct ys_target_sizes *sizes);

#endif
