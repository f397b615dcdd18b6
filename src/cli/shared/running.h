/* Runs programs in folders of files, several in parallel; their output and messages go to files there. */
#ifndef CLI_SHARED_RUNNING_H
#define CLI_SHARED_RUNNING_H

#include <stdbool.h>
#include <stddef.h>

#define ARGUMENTS_MOST 400
#define RUNNING_MOST   8

/* Where a program leaves what it prints, in its folder. */
#define RUNNING_PRINTED "printed"

struct arguments {
    const char *items[ARGUMENTS_MOST]; /* the program first, and NULL after the last */
    size_t count;
};

void arguments_add(struct arguments *arguments, const char *item);
void arguments_add_all(struct arguments *arguments, const char *const *items); /* which end with NULL */

/* From here to running_end a signal that ends the command only ends the programs; the command ends in running_end. */
void running_begin(void);
void running_end(void);

/* Runs `count` programs in parallel in a folder, at most RUNNING_MOST. False if one cannot be run, fails, or is ended
 * by a signal; a line is printed, except for a signal. `hint` is printed if the first program does not exist; it may be
 * NULL. */
bool running_all(const char *who, const char *folder, const struct arguments *programs, size_t count, const char *hint);

#endif
