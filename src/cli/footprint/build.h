/* A device compiled for a target and measured, in a folder that is gone afterwards. */
#ifndef CLI_FOOTPRINT_BUILD_H
#define CLI_FOOTPRINT_BUILD_H

#include <stdbool.h>
#include <stddef.h>

#include "design/making/layout.h"

#define BUILD_PATH 4096

struct build {
    const char *who;
    const char *compiler;
    char folder[BUILD_PATH];
    char sources[BUILD_PATH]; /* of the library, with wire/ and host/ in it */
    char headers[BUILD_PATH];
    char **files; /* the library's sources */
    size_t file_count;
    char *config; /* -DYS_CONFIG_FILE="NAME_config.h" */
};

/* A processor, by the compiler's name. */
struct build_target {
    const char *name;
    const char *option;
};

/* Bytes of a program. */
struct build_size {
    size_t flash; /* code and constants */
    size_t ram;   /* variables; neither stack nor heap */
};

struct build_stack {
    size_t run;     /* of ys_host_run */
    size_t outside; /* how far down it calls handlers and the port */
    size_t other;   /* of any other call */
    size_t interrupt;
};

/* Finds the library's sources and generates the tables; `prelude` gets the sizes of the definition. False after a line.
 * Call build_end in any case. */
bool build_begin(struct build *build, const struct ys_design *design, const struct ys_layout *layout,
                 const char *prelude);
void build_end(struct build *build);

/* Compiles the library and the tables for a target. Each of these is false after a line. */
bool build_library(const struct build *build, const struct build_target *target);

/* Compiles the program with these options, a list that ends with NULL, and links it. */
bool build_program(const struct build *build, const struct build_target *target, const char *const *options,
                   struct build_size *size);

/* The size of a variable of the program, compiled with these options; it is not linked. */
bool build_size_of(const struct build *build, const struct build_target *target, const char *const *options,
                   const char *variable, size_t *size);

/* The stack of the program that was linked last. */
bool build_stack(const struct build *build, const struct build_target *target, struct build_stack *stack);

#endif
