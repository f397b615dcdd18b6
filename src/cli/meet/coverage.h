/* Which functions and branches of firmware no encounter has reached, where it was compiled to tell (gcov). */
#ifndef CLI_MEET_COVERAGE_H
#define CLI_MEET_COVERAGE_H

#include <stdbool.h>
#include <stddef.h>

#include <jansson.h>

struct coverage;

/* From now on, processes of this one write the counts of their modules to a temporary folder. NULL, after a line, if it
 * cannot be made. */
struct coverage *coverage_begin(const char *who);

/* Reads all counts. False, after a line, if there are none, or they cannot be read. */
bool coverage_read(struct coverage *coverage);

void coverage_print(const struct coverage *coverage);
json_t *coverage_json(const struct coverage *coverage);

void coverage_end(struct coverage *coverage);

#endif
