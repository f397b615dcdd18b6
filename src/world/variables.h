/* The static variables of a loaded library, as they were at one time: a device that is switched on finds its RAM as its
 * start-up code leaves it. */
#ifndef WORLD_VARIABLES_H
#define WORLD_VARIABLES_H

#include <stdbool.h>

struct ys_variables;

/* Keeps what the variables of the library that has this address hold now. NULL if there is no memory, or no such
 * library. */
struct ys_variables *ys_variables_new(const void *inside);
void ys_variables_free(struct ys_variables *variables);

/* Lets them hold that again. */
void ys_variables_restore(const struct ys_variables *variables);

#endif
