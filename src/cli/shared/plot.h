/* Pictures: gnuplot draws them; the data and the script stay beside each. */
#ifndef CLI_SHARED_PLOT_H
#define CLI_SHARED_PLOT_H

#include <stdbool.h>
#include <stdio.h>

#include "capture/file/output.h"

/* A picture that is being made. */
struct plot {
    const char *who; /* the verb, for messages */
    const char *path;
    char *picture_path; /* the same, as the script says it; also the next: */
    char *data_path;
    char *script_path;
    FILE *data;
    FILE *script;
    bool replaces;
    struct ys_output data_file; /* private, also the next: */
    struct ys_output script_file;
};

/* Whether the path ends in .svg or .png; says so if not. */
bool plot_is_possible(const char *who, const char *path);

/* Whether the picture may be drawn: it does not exist or may be replaced, and the files beside it do not exist or were
 * written with a picture. False after a line. For verbs that work for a long time before they draw. */
bool plot_is_free(const char *who, const char *path, bool replaces);

/* Opens data and script: PATH without its ending, and .dat and .gnuplot. The script has its terminal and output. False
 * after a line; plot_is_free is looked at again. */
bool plot_begin(struct plot *plot, const char *who, const char *path, bool replaces);

/* Puts a text between quotes into the script or the data, whatever it contains. All texts from outside must go through
 * here. */
void plot_put_text(FILE *script, const char *text);

/* The name of a file without its folders, as a title has it. */
const char *plot_base_of(const char *path);

/* Closes both, and draws. False after a line. */
bool plot_end(struct plot *plot);

#endif
