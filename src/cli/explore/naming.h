/* What is named at the prompt. */
#ifndef CLI_EXPLORE_NAMING_H
#define CLI_EXPLORE_NAMING_H

#include <stdbool.h>

#include "cli/explore/explorer.h"

#define EXPLORER_NAME 80

/* If `*text` begins with the name of a device, as a whole word, that device becomes the current one, and `*text` moves
 * to after the name. False if it does not. */
bool explorer_take_device(struct explorer *explorer, const char **text);

/* Likewise at the end, after " of ", which is cut off. */
void explorer_cut_device(struct explorer *explorer, char *text);

/* The longest name of a characteristic of the device that is meant, or an input, that `text` begins with; NULL if none.
 * `*rest` is what follows. */
const char *explorer_name_in(const struct explorer *explorer, const char *text, bool inputs, const char **rest);

/* A name and, after it, a value. False after a line. */
bool explorer_split(struct explorer *explorer, const char *rest, bool inputs, char name[EXPLORER_NAME],
                    const char **value);

#endif
