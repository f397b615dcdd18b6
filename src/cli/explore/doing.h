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

/* The peer of its connection; NULL if there is none. */
struct ys_peer *explorer_peer(const struct explorer *explorer);

/* Virtual time. */
uint64_t explorer_now_ns(const struct explorer *explorer);

/* Frees what it has. */
void explorer_end(struct explorer *explorer);

/* Does a step as a scene would. It is kept to be saved, unless it was not understood. Takes the step. */
bool explorer_do(struct explorer *explorer, json_t *step);

#endif
