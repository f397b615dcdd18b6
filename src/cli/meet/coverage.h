/* Which functions and branches of firmware no encounter has reached, where it was compiled to tell (gcov). */
#ifndef CLI_MEET_COVERAGE_H
#define CLI_MEET_COVERAGE_H

#include <stdbool.h>
#include <stddef.h>

#include <jansson.h>

struct coverage;

/* From here on processes of this one keep what their modules count in a folder of its own. NULL, after a line, if there
 * can be none. */
struct coverage *coverage_begin(const char *who);

/* Puts together what was counted. False, after a line, if nothing was, or it cannot be read. */
bool coverage_read(struct coverage *coverage);

void coverage_print(const struct coverage *coverage);
json_t *coverage_json(const struct coverage *coverage);

void coverage_end(struct coverage *coverage);

#endif
