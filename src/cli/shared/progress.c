/* Progress. */
#include "cli/shared/progress.h"

#include <stdio.h>
#include <unistd.h>

struct progress progress_begin(const char *of_what)
{
    return (struct progress){.of_what = of_what, .begun = time(NULL)};
}

void progress_show(struct progress *progress, size_t done, size_t of)
{
    unsigned percent = (unsigned)(done * 100 / of);
    time_t lasted = time(NULL) - progress->begun;
    if (lasted < 1 || percent == progress->shown || isatty(STDERR_FILENO) == 0)
        return;
    progress->shown = percent;
    double left_s = (double)lasted * (double)(of - done) / (double)done;
    (void)fprintf(stderr, "\r%u %% of the %s, about %.0f %s left\033[K", percent, progress->of_what,
                  left_s < 120 ? left_s : left_s / 60, left_s < 120 ? "s" : "min");
}

void progress_end(const struct progress *progress)
{
    if (progress->shown > 0)
        (void)fputs("\r\033[K", stderr);
}
