/* Scanners by name, or as they are written. */
#include "measure/scanner.h"

#include <stdlib.h>
#include <string.h>

#define STEP_US 625

const struct ys_scanner ys_scanners[] = {
    {"constant", 60000, 60000},
    {"half", 30000, 60000},
    {"tenth", 10000, 100000},
    {"hundredth", 12500, 1250000},
};
const size_t ys_scanner_count = sizeof ys_scanners / sizeof ys_scanners[0];

static bool is_scanner(const struct ys_scanner *scanner)
{
    return scanner->window_us >= 2500 && scanner->window_us <= scanner->interval_us &&
           scanner->interval_us <= 10240000 && scanner->window_us % STEP_US == 0 && scanner->interval_us % STEP_US == 0;
}

/* Reads "30 ms", and goes on after it. */
static bool take_ms(const char **text, double *ms)
{
    char *end = NULL;
    if (**text < '0' || **text > '9')
        return false;
    *ms = strtod(*text, &end);
    if (end == *text || strncmp(end, " ms", 3) != 0 || !(*ms > 0 && *ms < 20000))
        return false;
    *text = end + 3;
    return true;
}

bool ys_scanner_of(const char *text, struct ys_scanner *scanner)
{
    const char *at = text;
    double window_ms;
    double interval_ms;
    for (size_t i = 0; i < ys_scanner_count; i++) {
        *scanner = ys_scanners[i];
        if (strcmp(text, scanner->name) == 0)
            return true;
    }
    if (!take_ms(&at, &window_ms) || strncmp(at, " of ", 4) != 0)
        return false;
    at += 4;
    if (!take_ms(&at, &interval_ms) || *at != '\0')
        return false;
    *scanner = (struct ys_scanner){text, (uint32_t)(window_ms * 1000 + 0.5), (uint32_t)(interval_ms * 1000 + 0.5)};
    return is_scanner(scanner);
}
