/* The emulator: a process that is given one end of two socket pairs, and ends with us. Or only the lines to a target.
 */
#include "emulated/emulator.h"

#include <errno.h>
#include <fcntl.h>
#include <poll.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/types.h>
#include <sys/wait.h>
#include <time.h>
#include <unistd.h>
#ifdef __linux__
#include <sys/prctl.h>
#endif

#include "linux/opening.h"

#define PROGRAM   "qemu-system-arm"
#define BPS_USUAL 115200
#define ROOM_MS   5000

struct ys_emulator {
    pid_t pid; /* 0: there is none, only lines */
    int lines[2];
    FILE *said; /* what it prints; NULL likewise */
    bool ended;
    int status;
};

static const char *program(void)
{
    const char *own = getenv("YARNSWIFT_EMULATOR");
    return own != NULL && own[0] != '\0' ? own : PROGRAM;
}

static void run(const struct ys_emulator *emulator, const int ends[2], const char *machine, const char *path)
{
    char line[64];
    char step[64];
    (void)snprintf(line, sizeof line, "socket,id=line,fd=%d", ends[0]);
    (void)snprintf(step, sizeof step, "socket,id=step,fd=%d", ends[1]);
    const char *const arguments[] = {program(),  "-machine", machine,    "-kernel",      path,
                                     "-display", "none",     "-monitor", "none",         "-icount",
                                     "shift=10", "-chardev", line,       "-serial",      "chardev:line",
                                     "-chardev", step,       "-serial",  "chardev:step", NULL};
#ifdef __linux__
    (void)prctl(PR_SET_PDEATHSIG, SIGKILL);
#endif
    for (int i = 0; i < 2; i++)
        (void)fcntl(ends[i], F_SETFD, 0);
    int nothing = open("/dev/null", O_RDWR);
    (void)dup2(nothing, STDIN_FILENO);
    (void)dup2(fileno(emulator->said), STDOUT_FILENO);
    (void)dup2(fileno(emulator->said), STDERR_FILENO);
    (void)execvp(arguments[0], (char *const *)(uintptr_t)arguments); /* NOLINT(performance-no-int-to-ptr) */
    (void)dprintf(STDERR_FILENO, "%s", strerror(errno));
    _exit(127);
}

/* Whether the program is there at all. */
static bool is_there(const char *name)
{
    char path[4096];
    const char *folders = getenv("PATH");
    if (strchr(name, '/') != NULL)
        return access(name, X_OK) == 0;
    while (folders != NULL && *folders != '\0') {
        size_t length = strcspn(folders, ":");
        (void)snprintf(path, sizeof path, "%.*s/%s", (int)length, folders, name);
        if (access(path, X_OK) == 0)
            return true;
        folders += length + (folders[length] == ':');
    }
    return false;
}

struct ys_emulator *ys_emulator_start(const char *machine, const char *path, char *problem, size_t size)
{
    int pairs[2][2] = {{-1, -1}, {-1, -1}};
    if (!is_there(program())) {
        (void)snprintf(problem, size, "images are played by an emulator, and there is no %s: apt-get install %s",
                       program(), PROGRAM);
        return NULL;
    }
    struct ys_emulator *emulator = calloc(1, sizeof *emulator);
    if (emulator != NULL)
        emulator->said = tmpfile();
    bool good = emulator != NULL && emulator->said != NULL;
    for (int i = 0; i < 2 && good; i++)
        good = socketpair(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0, pairs[i]) == 0;
    (void)fflush(NULL);
    if (good)
        emulator->pid = fork();
    if (good && emulator->pid == 0)
        run(emulator, (const int[2]){pairs[0][1], pairs[1][1]}, machine, path);
    good = good && emulator->pid > 0;
    if (!good)
        (void)snprintf(problem, size, "cannot start %s: %s", program(), strerror(errno));
    for (int i = 0; i < 2; i++) {
        if (pairs[i][1] >= 0)
            (void)close(pairs[i][1]);
        if (good)
            emulator->lines[i] = pairs[i][0];
        else if (pairs[i][0] >= 0)
            (void)close(pairs[i][0]);
    }
    if (good)
        return emulator;
    if (emulator != NULL && emulator->said != NULL)
        (void)fclose(emulator->said);
    free(emulator);
    return NULL;
}

struct ys_emulator *ys_emulator_connect(const char *hci, const char *step, uint32_t bps, char *problem, size_t size)
{
    const char *const where[] = {hci, step};
    struct ys_emulator *emulator = calloc(1, sizeof *emulator);
    bool packets;
    if (emulator == NULL) {
        (void)snprintf(problem, size, "there is no memory for it");
        return NULL;
    }
    emulator->ended = true;
    for (int i = 0; i < 2; i++)
        emulator->lines[i] = -1;
    for (int i = 0; i < 2; i++) {
        emulator->lines[i] = opening_open(where[i], bps > 0 ? bps : BPS_USUAL, false, &packets, problem, size);
        if (emulator->lines[i] >= 0)
            continue;
        ys_emulator_end(emulator);
        return NULL;
    }
    return emulator;
}

static void collect(struct ys_emulator *emulator, bool wait)
{
    if (!emulator->ended && waitpid(emulator->pid, &emulator->status, wait ? 0 : WNOHANG) == emulator->pid)
        emulator->ended = true;
}

void ys_emulator_end(struct ys_emulator *emulator)
{
    if (emulator == NULL)
        return;
    if (!emulator->ended)
        (void)kill(emulator->pid, SIGKILL);
    collect(emulator, true);
    for (int i = 0; i < 2; i++) {
        if (emulator->lines[i] >= 0)
            (void)close(emulator->lines[i]);
    }
    if (emulator->said != NULL)
        (void)fclose(emulator->said);
    free(emulator);
}

/* A serial device is slow; one that takes nothing for seconds is held up for ever. */
static bool wait_for_room(const struct ys_emulator *emulator, enum ys_emulator_line line)
{
    struct pollfd wait = {.fd = emulator->lines[line], .events = POLLOUT};
    int ready = poll(&wait, 1, ROOM_MS);
    return ready > 0 || (ready < 0 && errno == EINTR);
}

bool ys_emulator_send(struct ys_emulator *emulator, enum ys_emulator_line line, const void *bytes, size_t length)
{
    const char *next = bytes;
    while (length > 0) {
        ssize_t sent = send(emulator->lines[line], next, length, MSG_NOSIGNAL);
        if (sent < 0 && errno == ENOTSOCK)
            sent = write(emulator->lines[line], next, length);
        if (sent < 0 && (errno == EINTR || (errno == EAGAIN && wait_for_room(emulator, line))))
            continue;
        if (sent <= 0)
            return false;
        next += sent;
        length -= (size_t)sent;
    }
    return true;
}

static uint64_t now_ms(void)
{
    struct timespec now;
    (void)clock_gettime(CLOCK_MONOTONIC, &now);
    return (uint64_t)now.tv_sec * 1000 + (uint64_t)now.tv_nsec / 1000000;
}

long ys_emulator_receive(struct ys_emulator *emulator, enum ys_emulator_line line, void *bytes, size_t size,
                         int timeout_ms)
{
    struct pollfd wait = {.fd = emulator->lines[line], .events = POLLIN};
    uint64_t until_ms = now_ms() + (uint64_t)timeout_ms;
    for (;;) { /* a signal makes neither of the two end for good */
        uint64_t now = now_ms();
        int ready = poll(&wait, 1, until_ms > now ? (int)(until_ms - now) : 0);
        ssize_t got = ready > 0 ? read(emulator->lines[line], bytes, size) : -1;
        if (ready == 0)
            return 0;
        if (got > 0)
            return (long)got;
        if (got == 0 || (errno != EINTR && errno != EAGAIN))
            return -1;
    }
}

/* The last line that it has printed; else how it has ended. */
void ys_emulator_why(struct ys_emulator *emulator, char *text, size_t size)
{
    char line[400];
    text[0] = '\0';
    if (emulator->said == NULL) {
        (void)snprintf(text, size, "nobody is at the other end of its lines any more");
        return;
    }
    rewind(emulator->said);
    while (fgets(line, sizeof line, emulator->said) != NULL) {
        line[strcspn(line, "\n")] = '\0';
        if (line[0] != '\0')
            (void)snprintf(text, size, "%s", line);
    }
    collect(emulator, false);
    if (text[0] == '\0' && emulator->ended && WIFSIGNALED(emulator->status))
        (void)snprintf(text, size, "signal %d", WTERMSIG(emulator->status));
    else if (text[0] == '\0')
        (void)snprintf(text, size, "it says nothing");
}
