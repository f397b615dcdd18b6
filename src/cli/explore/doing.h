/* What is done at the prompt, and what could not be. */
#ifndef CLI_EXPLORE_DOING_H
#define CLI_EXPLORE_DOING_H

#include <stdbool.h>
#include <stdint.h>

#include "cli/explore/explorer.h"

/* Says in one line what could not be done. */
#if defined(__GNUC__)
__attribute__((format(printf, 2, 3)))
#endif
void explorer_refuse(struct explorer *explorer, const char *format, ...);

struct ys_central *explorer_central(const struct explorer *explorer);

/* The connection with a device; NULL if there is none. */
struct ys_peer *explorer_connection(const struct explorer *explorer, size_t device);

/* The current connection with a device; if there is none, any connection, which becomes the current one; or NULL. */
struct ys_peer *explorer_peer(struct explorer *explorer);

/* What the device that is meant is called. */
const char *explorer_device(const struct explorer *explorer);

/* With several devices, adds the current one to a step under this key. Takes and returns the step. */
json_t *explorer_name(const struct explorer *explorer, json_t *step, const char *key);

/* Keeps what was allocated for a task until the end. */
void explorer_keep(struct explorer *explorer, struct ys_task *task);

/* Virtual time. */
uint64_t explorer_now_ns(const struct explorer *explorer);

/* Frees what it has. */
void explorer_end(struct explorer *explorer);

/* Does a step, as a scene would: a mapping, or its text in braces. The step is kept for saving, unless it was not
 * understood. Takes the step. */
bool explorer_do(struct explorer *explorer, json_t *step);

#endif
