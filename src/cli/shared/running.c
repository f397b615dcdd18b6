/* Programs that are run. Signals that end the command are held back: who waits for the programs takes them, ends the
 * programs, and running_end lets the signal do the rest. */
#include "cli/shared/running.h"

#include <errno.h>
#include <fcntl.h>
#include <signal.h>
#include <spawn.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

#include "cli/shared/say.h"
#include "design/model/memory.h"

extern char **environ;

#define COUNT(array) (sizeof(array) / sizeof((array)[0]))

static const int ending[] = {SIGINT, SIGTERM, SIGHUP};
static int ended_by;       /* one of those, or 0 */
static sigset_t as_before; /* running_begin */

static sigset_t waited_for(void)
{
    sigset_t signals;
    (void)sigemptyset(&signals);
    (void)sigaddset(&signals, SIGCHLD);
    for (size_t i = 0; i < COUNT(ending); i++)
        (void)sigaddset(&signals, ending[i]);
    return signals;
}

void running_begin(void)
{
    sigset_t signals = waited_for();
    (void)signal(SIGCHLD, SIG_DFL); /* whoever has started the command may not have wanted to know */
    (void)sigprocmask(SIG_BLOCK, &signals, &as_before);
}

void running_end(void)
{
    (void)sigprocmask(SIG_SETMASK, &as_before, NULL);
    if (ended_by != 0)
        (void)raise(ended_by);
}

/* Whether all have ended well. */
static bool wait_for(pid_t *children, size_t count)
{
    sigset_t signals = waited_for();
    bool good = true;
    size_t left = count;
    while (left > 0) {
        int came = 0;
        if (sigwait(&signals, &came) == 0 && came != SIGCHLD)
            ended_by = came;
        for (size_t i = 0; i < count; i++) {
            int status = 0;
            if (children[i] != 0 && ended_by != 0)
                (void)kill(children[i], ended_by);
            if (children[i] == 0 || waitpid(children[i], &status, WNOHANG) != children[i])
                continue;
            children[i] = 0;
            left--;
            good = good && status == 0;
        }
    }
    return good;
}

void arguments_add(struct arguments *arguments, const char *item)
{
    if (arguments->count + 1 < ARGUMENTS_MOST)
        arguments->items[arguments->count++] = item;
    arguments->items[arguments->count] = NULL;
}

void arguments_add_all(struct arguments *arguments, const char *const *items)
{
    for (; items != NULL && *items != NULL; items++)
        arguments_add(arguments, *items);
}

static int start(const char *folder, const struct arguments *arguments, pid_t *child)
{
    posix_spawn_file_actions_t actions;
    posix_spawnattr_t attributes;
    (void)posix_spawn_file_actions_init(&actions);
    (void)posix_spawn_file_actions_addchdir_np(&actions, folder);
    (void)posix_spawn_file_actions_addopen(&actions, STDIN_FILENO, "/dev/null", O_RDONLY, 0);
    (void)posix_spawn_file_actions_addopen(&actions, STDOUT_FILENO, RUNNING_PRINTED, O_WRONLY | O_CREAT | O_TRUNC,
                                           0600);
    (void)posix_spawn_file_actions_addopen(&actions, STDERR_FILENO, "complained", O_WRONLY | O_CREAT | O_APPEND, 0600);
    (void)posix_spawnattr_init(&attributes);
    (void)posix_spawnattr_setflags(&attributes, POSIX_SPAWN_SETSIGMASK);
    (void)posix_spawnattr_setsigmask(&attributes, &as_before);
    const char *const *given = arguments->items;
    char *const *taken = NULL; /* the same: it changes none of them */
    memcpy(&taken, &given, sizeof taken);
    int error = posix_spawnp(child, given[0], &actions, &attributes, taken, environ);
    (void)posix_spawnattr_destroy(&attributes);
    (void)posix_spawn_file_actions_destroy(&actions);
    return error;
}

static bool cannot_run(const char *who, const char *program, int error, const char *hint)
{
    if (error == ENOENT && hint != NULL)
        return complain(who, "there is no %s: %s", program, hint);
    return complain(who, "cannot run %s: %s", program, strerror(error));
}

/* The first lines of a program's complaint. */
static bool has_failed(const char *who, const char *folder, const char *program)
{
    char text[2000] = "";
    char *path = ys_new_text("%s/complained", folder);
    FILE *file = fopen(path, "r");
    free(path);
    if (file != NULL) {
        text[fread(text, 1, sizeof text - 1, file)] = '\0';
        (void)fclose(file);
    }
    for (char *save = NULL, *line = strtok_r(text, "\n", &save); line != NULL; line = strtok_r(NULL, "\n", &save)) {
        put_plain(stderr, line);
        (void)fputc('\n', stderr);
    }
    return complain(who, "%s has failed", program);
}

bool running_all(const char *who, const char *folder, const struct arguments *programs, size_t count, const char *hint)
{
    pid_t children[RUNNING_MOST];
    size_t started = 0;
    int error = 0;
    for (; started < count && error == 0; started += error == 0)
        error = start(folder, &programs[started], &children[started]);
    bool good = wait_for(children, started);
    if (ended_by != 0)
        return false;
    if (error != 0)
        return cannot_run(who, programs[started].items[0], error, hint);
    return good || has_failed(who, folder, programs[0].items[0]);
}
