/* Intervals and times until found as JSON. */
#ifndef CLI_INTERVAL_JSON_H
#define CLI_INTERVAL_JSON_H

#include "cli/interval/measured.h"

/* Prints them; false if something that is expected is not so. */
bool interval_print_json(const struct measured *measured);

#endif
