/* Pictures: gnuplot draws them; the data and the script stay beside each. */
#ifndef CLI_PLOT_H
#define CLI_PLOT_H

#include <stdbool.h>
#include <stdio.h>

/* A picture that is being made. */
struct plot {
    const char *who; /* the verb, for messages */
    const char *path;
    char *picture_path; /* the same, as the script says it; likewise: */
    char *data_path;
    char *script_path;
    FILE *data;
    FILE *script;
};

/* Whether the path ends in .svg or .png; says so if not. */
bool plot_is_possible(const char *who, const char *path);

/* Opens data and script: PATH without its ending, and .dat and .gnuplot. The script has its terminal and output. False
 * after a line. */
bool plot_begin(struct plot *plot, const char *who, const char *path);

/* Puts a text into the script, or into the data, between quotes, whatever is in it: the only way in for what was not
 * written here. */
void plot_put_text(FILE *script, const char *text);

/* Closes both, and draws. False after a line. */
bool plot_end(struct plot *plot);

#endif
