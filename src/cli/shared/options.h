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

/* What all verbs take; the first member of each verb's input. */
struct common {
    struct files files;
    bool json;
};

/* For a verb's parser, where it does not know a key itself: takes --json and the files. */
error_t parse_common(int key, struct argp_state *state, struct common *common);

/* Runs argp over the arguments, after saying in one line what it would not take. Returns false if there is such. Help
 * is printed, and the program ended, in here. */
bool parse_options(const struct argp *argp, int argc, char **argv, void *input);

/* From now on parse_options only puts what the verb takes into this object, and returns false; as before if it is NULL.
 */
void options_describe(json_t *verb);

/* A whole number from 0 to 2^64 - 1 in decimal; false if it is anything else. */
bool parse_number(const char *text, unsigned long long *number);

/* A number with or without a fraction, and nothing before or behind it; false if it is none, or not in range. */
bool parse_real(const char *text, double least, double most, double *number);

/* Reads the argument of --seed; complains, and returns false, if it is none. */
bool take_seed(const char *verb, const char *argument, unsigned long long *seed);

/* Reads the argument of --jobs, from 1 to JOBS_MOST; complains, and returns false, if it is none. */
#define JOBS_MOST 64
bool take_jobs(const char *verb, const char *argument, unsigned long long *jobs);

/* Takes a time in seconds, such as "1.5", "1.5 s" or "20 ms". False after a line. */
bool take_seconds(const char *who, const char *option, const char *argument, double *seconds);

#endif
