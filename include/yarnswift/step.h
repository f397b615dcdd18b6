/* Keeping step with a workstation: firmware on a board, in an emulator or in a process of its own is a device in a
 * scene, in virtual time. docs/lockstep.md has the protocol, and is for those who write the other side.
 *
 * The firmware has two lines to the workstation: HCI, as to any controller, and the step line, over which it says, in
 * place of sleeping, for how long it has nothing to do. The workstation lets its simulation run until then, or until
 * something happens, and tells the time. What the processor does in between takes no time, so that runs repeat byte for
 * byte.
 *
 *     bool in_step = ys_step_begin(&step, &settings);        // false: nobody is there, and time is real
 *     ...
 *     uint32_t wait_ms = ys_host_run(&host);
 *     if (in_step)
 *         ys_step_sleep(&step, wait_ms);
 */
#ifndef YARNSWIFT_STEP_H
#define YARNSWIFT_STEP_H

#include <yarnswift/workstation.h>

#ifdef __cplusplus
extern "C" {
#endif

/* A count of a report: what was called, and how long it took. */
struct ys_step_count {
    uint8_t kind;    /* a letter, see docs/lockstep.md; 0: unused */
    uint16_t number; /* handle, or kind of event */
    uint32_t calls;
    uint32_t sum;  /* of instructions, or of ticks, of all calls; wraps */
    uint32_t most; /* of one */
};

/* What a firmware is stepped with. Pointers are the caller's, and must stay valid. */
struct ys_step_settings {
    /* Its inputs, and its timer interrupt, which are called in virtual time. */
    const struct ys_firmware *firmware;
    uint32_t stamp; /* of the table: YS_TABLE_STAMP of the generated NAME_config.h */

    /* The step line. `put` sends one byte, and may wait for room. `get` waits for the next byte, for ever or for a
     * tenth of a second; -1: it has waited in vain. */
    void (*put)(void *context, uint8_t byte);
    int (*get)(void *context, bool forever);

    /* The HCI line. `sent` waits until all that was to be sent is on it, and returns how many bytes have been sent
     * since it was opened. `await` waits until so many have come since then; false: more have come, or it has waited in
     * vain.
     */
    uint32_t (*sent)(void *context);
    bool (*await)(void *context, uint32_t count);

    /* Optional: calls a function in an interrupt, and returns when it has returned. Without it they are called as they
     * are. */
    void (*interrupt)(void *context, void (*call)(void *argument), void *argument);

    /* Optional: what the flash held when the power went, piece by piece, before anything else. */
    void (*flash)(void *context, uint32_t offset, const uint8_t *bytes, size_t length);

    /* Optional: a counter that goes up with what the processor does, and how many of its ticks make a microsecond. */
    uint32_t (*ticks)(void *context);
    uint32_t ticks_per_us;

    /* Optional: the deepest stack until now, and its size, in bytes. */
    uint32_t (*stack)(void *context, uint32_t *size);

    /* Optional: memory in which is counted how often handlers are called, and how much they take; see ys_step_watch. */
    void *memory;
    size_t memory_size;

    void *context; /* of the functions above */
};

/* Inputs of the main loop that come at one moment and wait until it runs. */
#define YS_STEP_INPUTS 8

/* One end of a step line. Its memory is the caller's; its fields are private. */
struct ys_step {
    const struct ys_step_settings *settings;
    struct ys_host *host;
    uint64_t now_us;
    uint64_t interrupt_us; /* when its timer interrupt is next */
    bool in_step;
    const struct ys_table *table; /* the firmware's own */
    struct ys_table watched;      /* and the one whose handlers are counted */
    struct ys_step_count *counts;
    uint16_t count_most;
    uint32_t woken_ticks;    /* when it began to work, later by what it has told since */
    uint32_t count_ticks;    /* what counting takes by itself */
    uint32_t ticks_per_1000; /* instructions, as the workstation says; 0: it counts ticks */
    uint8_t input_count;
    struct {
        const struct ys_input *input;
        int64_t value;
    } inputs[YS_STEP_INPUTS];
};

/* Says that firmware is here, and takes what its flash held. False if nobody answers: time is then real, and all other
 * functions but ys_step_watch must not be called. `settings` must stay valid. Before the host starts. */
bool ys_step_begin(struct ys_step *step, const struct ys_step_settings *settings);

/* The table for the host: the firmware's, or one whose handlers are counted, if there is memory for that. One host of a
 * program at most can have such a table. */
const struct ys_table *ys_step_watch(struct ys_step *step, struct ys_host *host);

/* Sleeps for `wait_ms` as ys_host_run has returned them, or until something happens. Inputs and the timer interrupt are
 * called from here. From the main loop. */
void ys_step_sleep(struct ys_step *step, uint32_t wait_ms);

/* The same in the middle of a turn, for what waits there: inputs of the main loop wait until it sleeps again. */
void ys_step_wait(struct ys_step *step, uint32_t wait_ms);

/* The time in microseconds from the beginning of the world. */
uint64_t ys_step_now_us(const struct ys_step *step);

/* A line of the log. Anything that is not printable is left out. From the main loop; also the next: */
void ys_step_log(struct ys_step *step, const char *text, uint32_t value);

/* An event of the host, before the firmware has it: the workstation says in its log what happens. */
void ys_step_event(struct ys_step *step, struct ys_host *host, const struct ys_event *event);

/* The flash was written, or erased (bytes NULL), at an offset from its beginning. */
void ys_step_flash(struct ys_step *step, uint32_t offset, const uint8_t *bytes, size_t length);

/* The processor has failed: 17 registers, r0 to r12, sp, lr, pc and the status, and what the processor says of the
 * fault. From anywhere; nothing must be called after it. */
void ys_step_fault(struct ys_step *step, const uint32_t registers[17], uint32_t why);

/* Calls that are counted: `kind` as in docs/lockstep.md. */
uint32_t ys_step_ticks(const struct ys_step *step);
void ys_step_count(struct ys_step *step, uint8_t kind, uint16_t number, uint32_t began);

#ifdef __cplusplus
}
#endif

#endif
