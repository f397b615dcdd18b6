/* Files that are made anew: whole, or not at all. The one way in which this project writes a file. */
#ifndef CAPTURE_FILE_OUTPUT_H
#define CAPTURE_FILE_OUTPUT_H

#include <stdbool.h>
#include <stddef.h>
#include <stdio.h>
#include <sys/types.h>

/* A file that is being written, under a name beside its own that nobody can guess. The struct must not move until the
 * end. */
struct ys_output {
    char *path;
    char *beside;
    FILE *stream;
    bool replaces;
    pid_t owner; /* the process that began it */
    struct ys_output *next;
};

/* Begins to write a file. An existing file is left alone, unless `replaces`: then it is replaced at the end, and not
 * through a symbolic link. False, with the reason in `error`, if that fails. */
bool ys_output_begin(struct ys_output *output, const char *path, bool replaces, char *error, size_t size);

/* Moves the file to its place. If `good` is false, or something fails, the old file stays and the new one is removed.
 * False, with the reason in `error` unless `good` was false. */
bool ys_output_end(struct ys_output *output, bool good, char *error, size_t size);

/* Removes the unfinished files of this process; or moves a file to its place, as far as it was written. Both are
 * allowed in a signal handler. */
void ys_outputs_remove(void);
void ys_outputs_keep(void);

#endif
