/* Firmware as a module: loaded, compared with its definition, and watched, so that it can be said what of it was
 * running when it crashed. */
#ifndef WORLD_MODULE_H
#define WORLD_MODULE_H

#include <yarnswift/workstation.h>

#include "design/making/layout.h"

struct ys_loaded;

/* Loads a module whose table must be that of `design`. Each time it is loaded it has its own static variables. NULL,
 * with why and what to do in `problem`. */
struct ys_loaded *ys_module_open(const char *path, const struct ys_design *design, char *problem, size_t size);
void ys_module_close(struct ys_loaded *loaded);

/* Gives its static variables what they had when it was loaded: a reset. None of it may be running. */
void ys_module_reset(struct ys_loaded *loaded);

/* Whether it was compiled to count which of its lines are reached (gcov); it leaves that when it is reset and closed.
 */
bool ys_module_counts(const struct ys_loaded *loaded);

const struct ys_module *ys_module_of(const struct ys_loaded *loaded);

/* Whether a module, that of the file `path`, can be used and has the table of `design`; else why and what to do in
 * `problem`. */
bool ys_module_check(const struct ys_module *module, const char *path, const struct ys_design *design, char *problem,
                     size_t size);

/* Firmware that is linked, with the host of this library. */
struct ys_module ys_module_linked(const struct ys_firmware *firmware);

/* What of a firmware is running in this thread, for whoever must say so after a crash. */
struct ys_running {
    const char *device;  /* NULL: none of it */
    const char *last;    /* the device of the last call, whether it has returned or not; NULL: there was none */
    const char *what;    /* "the read handler", "the timer interrupt" */
    const char *of;      /* a characteristic's name, or NULL */
    unsigned long count; /* of all calls: tells one from the next */
};
extern _Thread_local struct ys_running ys_running;

/* Marks a call of a firmware, which may come from within another: `ys_running_end` gets what `ys_running_begin` has
 * returned. */
static inline struct ys_running ys_running_begin(const char *device, const char *what, const char *of)
{
    const struct ys_running before = ys_running;
    ys_running =
        (struct ys_running){.device = device, .last = device, .what = what, .of = of, .count = before.count + 1};
    return before;
}

static inline void ys_running_end(struct ys_running before)
{
    ys_running.device = before.device;
    if (before.device == NULL) /* what ran last is still to be told */
        return;
    ys_running.what = before.what;
    ys_running.of = before.of;
}

#endif
