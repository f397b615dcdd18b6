/* What the verbs of the command share. */
#ifndef CLI_CLI_H
#define CLI_CLI_H

#include <argp.h>
#include <stdbool.h>
#include <stddef.h>
#include <stdio.h>

#include "design/making/layout.h"
#include "design/model/model.h"

/* How the command ends. */
enum exit_status { EXIT_AS_EXPECTED = 0, EXIT_UNEXPECTED = 1, EXIT_BAD_INPUT = 2 };

/* A verb: argv[0] is "yarnswift VERB". Returns an exit status. */
typedef int verb_fn(int argc, char **argv);

struct verb {
    const char *name;
    const char *summary;
    verb_fn *run;
};

verb_fn verb_check;
verb_fn verb_table;
verb_fn verb_pairing;
verb_fn verb_generate;
verb_fn verb_catalogue;
verb_fn verb_demo;
verb_fn verb_new;
verb_fn verb_interval;
verb_fn verb_rehearse;
verb_fn verb_explore;
verb_fn verb_throughput;
verb_fn verb_sweep;
verb_fn verb_compare;
verb_fn verb_trace;
verb_fn verb_audit;

/* options.c */

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

/* Opens the one definition that is named, and lays it out. NULL, after a line, if there is none, more than one, or an
 * error in it. */
struct ys_layout *open_only(const char *who, const struct files *files, struct ys_design **design);

/* Runs argp over the arguments, after saying in one line what it would not take. Returns false if there is such. Help
 * is printed, and the program ended, in here. */
bool parse_options(const struct argp *argp, int argc, char **argv, void *input);

/* A whole number from 0 to 2^64 - 1 in decimal; false if it is anything else. */
bool parse_number(const char *text, unsigned long long *number);

/* files.c */

/* "error", "warning" or "advice". */
const char *severity_word(enum ys_severity severity);

/* Reads a definition. NULL, after a line, if there is no such file. */
struct ys_design *read_design(const char *path);

/* Reads a definition and prints its errors and warnings. NULL, after a line, if there is no such file. */
struct ys_design *open_design(const char *path);

/* Prints the findings of a design, each beginning with where it is; advice only where it is asked for. */
void print_findings(const struct ys_design *design, bool advice);

/* The same of any file with such findings, all of them. */
void print_all_findings(const char *file, const struct ys_findings *findings);

/* Whether the design may be used; lays it out. */
struct ys_layout *lay_out(const struct ys_design *design);

/* Writes a file whole or not at all, and only if it is different from what is there. Refuses to write over a
 * file that was not generated. Returns false after a line on what went wrong. */
bool write_generated(const char *path, const char *text, size_t length);

/* Whether `path` may be written by write_generated. Says so if not. */
bool may_be_generated(const char *path);

/* terminal */

/* Whether `stream` is a terminal on which colours are wanted (NO_COLOR is not set). */
bool wants_colour(FILE *stream);

/* Prints what is wrong with writing to stdout, if anything; to be called at the end of a verb. */
int finish(int status);

#endif
