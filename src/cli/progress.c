/* Progress. */
#include "cli/progress.h"

#include <stdio.h>
#include <unistd.h>

struct progress progress_begin(const char *of_what)
{
    return (struct progress){.of_what = of_what, .begun = time(NULL)};
}

void progress_show(struct progress *progress, size_t done, size_t of)
{
    unsigned percent = (unsigned)(done * 100 / of);
    if (time(NULL) - progress->begun < 1 || percent == progress->shown || isatty(STDERR_FILENO) == 0)
        return;
    progress->shown = percent;
    (void)fprintf(stderr, "\r%u %% of the %s", percent, progress->of_what);
}

void progress_end(const struct progress *progress)
{
    if (progress->shown > 0)
        (void)fputs("\r\033[K", stderr);
}
