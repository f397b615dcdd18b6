/* What is special about a terminal. */
#include "cli/shared/terminal.h"

#include <stdio.h>
#include <stdlib.h>
#include <unistd.h>

bool wants_colour(FILE *stream)
{
    const char *no_color = getenv("NO_COLOR");
    return (no_color == NULL || no_color[0] == '\0') && isatty(fileno(stream)) != 0;
}
