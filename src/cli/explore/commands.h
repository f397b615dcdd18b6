/* What can be done at the prompt of explore. */
#ifndef CLI_EXPLORE_COMMANDS_H
#define CLI_EXPLORE_COMMANDS_H

#include <stdbool.h>
#include <stddef.h>

#include "cli/explore/explorer.h"

struct command {
    const char *name;
    const char *takes; /* what stands after it, for people */
    const char *about;
    void (*run)(struct explorer *explorer, const char *rest);
    bool inputs;                /* the names that it takes are also those of the firmware's inputs */
    const char *const *choices; /* the words that it takes, NULL after the last; NULL: any */
};

#define COMMANDS 21

extern const struct command explore_commands[COMMANDS];

/* The command that a line begins with, NULL if none; `*rest` is what follows. */
const struct command *command_find(const char *line, const char **rest);

/* Does what a line says. */
void explore_line(struct explorer *explorer, const char *line);

#endif
