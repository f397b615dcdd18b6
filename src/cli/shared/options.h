/* Options and arguments. */
#ifndef CLI_SHARED_OPTIONS_H
#define CLI_SHARED_OPTIONS_H

#include <argp.h>
#include <jansson.h>
#include <stdbool.h>

/* The arguments that are no options. */
struct files {
    char **paths;
    int count;
};

/* Options that several verbs have, as rows of a verb's table. */
/* clang-format off */
#define PAGE_OPTION                                                                                                    \
    {"page", COMMON_PAGE, "FILE", 0, "Also write the result to FILE, an HTML page that needs no other files", 0}
#define REPLACE_OPTION {"replace", COMMON_REPLACE, NULL, 0, "Overwrite existing files", 0}
/* clang-format on */

enum common_key { COMMON_PAGE = 0x2c0, COMMON_REPLACE };

/* What all verbs take; the first member of each verb's input. */
struct common {
    struct files files;
    const char *page; /* NULL: none is written */
    bool replaces;
    bool json;
};

/* For a verb's parser, where it does not know a key itself: takes --json, --page, --replace, and the files. */
error_t parse_common(int key, char *argument, struct argp_state *state, struct common *common);

/* Reads the arguments with argp; false, after one line, if there is a mistake. With --help it prints the help and ends
 * the program. */
bool parse_options(const struct argp *argp, int argc, char **argv, void *input);

/* From now on parse_options only writes the options of the verb into this object, and returns false; NULL ends that. */
void options_describe(json_t *verb);

/* A whole number from 0 to 2^64 - 1 in decimal; false if it is anything else. */
bool parse_number(const char *text, unsigned long long *number);

/* A number with or without a fraction, with nothing before or after it; false if it is not one, or out of range. */
bool parse_real(const char *text, double least, double most, double *number);

/* Reads the argument of --seed; false, after a line, if it is not one. */
bool take_seed(const char *verb, const char *argument, unsigned long long *seed);

/* Reads the argument of --jobs, from 1 to JOBS_MOST; false, after a line, if it is not one. */
#define JOBS_MOST 64
bool take_jobs(const char *verb, const char *argument, unsigned long long *jobs);

/* Takes a time in seconds, such as "1.5", "1.5 s" or "20 ms". False after a line. */
bool take_seconds(const char *who, const char *option, const char *argument, double *seconds);

#endif
