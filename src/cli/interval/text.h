/* Intervals and times until found in words. */
#ifndef CLI_INTERVAL_TEXT_H
#define CLI_INTERVAL_TEXT_H

#include "cli/interval/measured.h"

/* Prints them; false if something that is expected is not so. */
bool interval_print(const struct measured *measured);

/* Why it was silent. */
const char *interval_silence_reason(enum ys_silence silence);

#endif
