/* Files that the command makes anew: whole, or not at all. */
#ifndef CLI_SHARED_OUTPUT_H
#define CLI_SHARED_OUTPUT_H

#include <stdbool.h>
#include <stdio.h>

/* A file that is being written, under a name beside its own that nobody can know before. */
struct output_file {
    const char *path; /* the caller's */
    char *beside;
    FILE *stream;
};

/* Begins to write a file. False after a line. */
bool output_begin(struct output_file *file, const char *path);

/* Puts it in its place: over what is there, and in place of a symbolic link rather than through it. If `good` is false,
 * or something fails, what is there stays, and nothing else is left. False after a line, but for `good`. */
bool output_end(struct output_file *file, bool good);

#endif
