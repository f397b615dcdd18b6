/* Tasks of a central: begun, ended, waited for. */
#ifndef WORLD_TASKS_H
#define WORLD_TASKS_H

#include "world/central_parts.h"

#if defined(__GNUC__)
__attribute__((format(printf, 2, 3)))
#endif
void central_say(const struct ys_central *central, const char *format, ...);

/* Its simulated port; NULL while it is off. */
struct ys_simulated *central_port(const struct ys_central *central);

/* The PHYs on which it listens and connects. */
uint8_t central_phys(const struct ys_central *central);

/* Puts it into a list, or takes it out. */
void task_add(struct ys_task **list, struct ys_task *task);

void task_remove(struct ys_task **list, struct ys_task *task);

/* Begins a task: its time runs. `what` names it in messages. */
void task_begin(struct ys_task *task, struct ys_central *central, struct ys_peer *peer, const char *what,
                uint64_t at_most_ns);

/* Ends it, and says in the log what came of it. */
#if defined(__GNUC__)
__attribute__((format(printf, 3, 4)))
#endif
void task_end(struct ys_task *task, bool good, const char *format, ...);

/* How long it has gone on. */
double task_passed_ms(const struct ys_task *task);

#endif
