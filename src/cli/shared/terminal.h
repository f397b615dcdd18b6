/* What is special about a terminal. */
#ifndef CLI_SHARED_TERMINAL_H
#define CLI_SHARED_TERMINAL_H

#include <stdbool.h>
#include <stdio.h>

/* Whether `stream` is a terminal on which colours are wanted (NO_COLOR is not set). */
bool wants_colour(FILE *stream);

#endif
