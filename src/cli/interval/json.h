/* Intervals and times until found as JSON. */
#ifndef CLI_INTERVAL_JSON_H
#define CLI_INTERVAL_JSON_H

#include <jansson.h>

#include "cli/interval/measured.h"

/* The result; the caller's. `met`: all that is expected is so. */
json_t *interval_json(const struct measured *measured, bool *met);

/* Prints them; false if something that is expected is not so. */
bool interval_print_json(const struct measured *measured);

#endif
