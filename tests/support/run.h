/* Runs the built command, as a person does. */
#ifndef SUPPORT_RUN_H
#define SUPPORT_RUN_H

#include <stddef.h>

struct outcome {
    int status;
    char *out; /* what it printed; freed by the next run */
    char *err;
};

/* Runs `yarnswift` with these arguments, in one string for the shell. */
struct outcome run_command(const char *arguments);

/* Writes a file into the scratch folder; returns its path, until the next call. */
const char *scratch_file(const char *name, const char *text);

/* Reads a whole file; NULL if there is none. The caller frees it. */
char *read_whole(const char *path);

/* An empty folder under the scratch folder; returns its path, until the next call. */
const char *scratch_folder(const char *name);

#endif
