/* Files that the command writes. */
#include "cli/shared/saving.h"

#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "cli/shared/say.h"

bool saving_is_free(const char *path, bool replaces)
{
    return path == NULL || replaces || access(path, F_OK) != 0 ||
           complain(path, "it is there, and is left alone; give --replace to write over it");
}

bool saving_begin(struct ys_output *output, const char *path, bool replaces)
{
    char error[300];
    return ys_output_begin(output, path, replaces, error, sizeof error) || complain(path, "%s", error);
}

bool saving_end(struct ys_output *output, bool good)
{
    char error[300] = "";
    char *path = strdup(output->path);
    bool done = ys_output_end(output, good, error, sizeof error);
    if (good && !done)
        (void)complain(path != NULL ? path : "a file", "%s", error);
    free(path);
    return done;
}

static void on_end(int number)
{
    ys_outputs_remove();
    (void)signal(number, SIG_DFL);
    (void)raise(number);
}

void saving_watch(void)
{
    static const int ends[] = {SIGHUP, SIGINT, SIGTERM, SIGPIPE};
    const struct sigaction action = {.sa_handler = on_end, .sa_flags = (int)SA_NODEFER};
    struct sigaction before;
    for (size_t i = 0; i < sizeof ends / sizeof ends[0]; i++) {
        if (sigaction(ends[i], NULL, &before) == 0 && before.sa_handler == SIG_DFL)
            (void)sigaction(ends[i], &action, NULL);
    }
    (void)signal(SIGXFSZ, SIG_IGN); /* writing says so itself */
}
