/* Firmware that crashes, or does not come back. */
#include "cli/shared/crash.h"

#include <signal.h>
#include <stdbool.h>
#include <stddef.h>
#include <stdlib.h>
#include <sys/time.h>
#include <termios.h>
#include <unistd.h>

#include "capture/file/output.h"
#include "world/module.h"

/* How long firmware may take for one call: in seconds of the processor, and in all. */
#define PATIENCE_S      3
#define PATIENCE_WALL_S 10

/* How much longer a take may last than it may compute: others may be at work on the same processors. */
#define WALL_FOR_PROCESSOR 10

/* How it ends if it could not even be told. */
#define EXIT_UNTOLD 4

static struct {
    int fd;
    const char *before;
    const char *behind;
    int status;
    bool terminal;
    struct termios settings;
} told;

/* How many seconds a call of firmware has been going on, and which; and everything. */
struct watch {
    unsigned long count;
    unsigned s;
    unsigned all_s;
};

/* What a take may have of the processor. */
static unsigned limit_s;

static size_t append(char *text, size_t used, size_t size, const char *more)
{
    while (*more != '\0' && used + 1 < size)
        text[used++] = *more++;
    return used;
}

/* Prints which function of the firmware was running, and ends the process. Uses only functions that are allowed in a
 * signal handler. */
static void say_crash(const char *how)
{
    const struct ys_running *running = &ys_running;
    char text[400];
    size_t used = append(text, 0, sizeof text, told.before);
    if (running->device != NULL) {
        used = append(text, used, sizeof text, "the firmware of ");
        used = append(text, used, sizeof text, running->device);
        used = append(text, used, sizeof text, how);
        used = append(text, used, sizeof text, " in ");
        used = append(text, used, sizeof text, running->what);
        if (running->of != NULL) {
            used = append(text, used, sizeof text, " of ");
            used = append(text, used, sizeof text, running->of);
        }
    } else {
        used = append(text, used, sizeof text, "the simulation");
        used = append(text, used, sizeof text, how);
    }
    used = append(text, used, sizeof text, told.behind);
    ys_outputs_keep(); /* a capture tells what came before */
    if (told.terminal)
        (void)tcsetattr(STDIN_FILENO, TCSANOW, &told.settings);
    ssize_t written = write(told.fd, text, used);
    _exit(written == (ssize_t)used ? told.status : EXIT_UNTOLD);
}

/* A number in digits; also within a signal, where printf may not be called. */
static size_t append_number(char *text, size_t used, size_t size, unsigned number)
{
    char digits[12];
    size_t at = sizeof digits;
    digits[--at] = '\0';
    do {
        digits[--at] = (char)('0' + number % 10);
        number /= 10;
    } while (number > 0);
    return append(text, used, size, &digits[at]);
}

static void say_limit(unsigned s, const char *of)
{
    char text[100];
    size_t used = append(text, 0, sizeof text, " did not come to its end within ");
    used = append_number(text, used, sizeof text, s);
    used = append(text, used, sizeof text, of);
    text[used] = '\0';
    say_crash(text);
}

static void on_crash(int number)
{
    static const struct {
        int number;
        const char *how;
    } words[] = {{SIGSEGV, " crashed (it used memory that is not its own)"},
                 {SIGBUS, " crashed (it used memory that is not there)"},
                 {SIGFPE, " crashed (arithmetic error, such as a division by zero)"},
                 {SIGILL, " crashed (illegal instruction)"},
                 {SIGABRT, " crashed (it ended itself)"}};
    for (size_t i = 0; i < sizeof words / sizeof words[0]; i++) {
        if (words[i].number == number)
            say_crash(words[i].how);
    }
    _exit(EXIT_UNTOLD);
}

/* Every second, of the processor or of all: whether the same call is still going on. */
static void look(struct watch *watch, unsigned patience_s, const char *how)
{
    const struct ys_running *running = &ys_running;
    watch->s = running->device != NULL && running->count == watch->count ? watch->s + 1 : 0;
    watch->count = running->count;
    watch->all_s++;
    if (watch->s >= patience_s)
        say_crash(how);
}

static void on_second(int number)
{
    static struct watch of_processor;
    static struct watch of_all; /* firmware that waits needs no processor for that */
    if (number == SIGPROF)
        look(&of_processor, PATIENCE_S, " did not come back within 3 s");
    else
        look(&of_all, PATIENCE_WALL_S, " did not come back within 10 s");
    if (limit_s > 0 && of_processor.all_s >= limit_s)
        say_limit(limit_s, " s of the processor");
    if (limit_s > 0 && of_all.all_s / WALL_FOR_PROCESSOR >= limit_s)
        say_limit(limit_s * WALL_FOR_PROCESSOR, " s");
}

/* Firmware cannot end the command. */
static void on_exit_of_firmware(void)
{
    if (ys_running.device != NULL)
        say_crash(" called exit");
}

void crash_watch(int fd, const char *before, const char *behind, int status, unsigned most_s)
{
    static char other_stack[65536]; /* a stack that has run over cannot be used */
    const stack_t stack = {.ss_sp = other_stack, .ss_size = sizeof other_stack};
    static const int crashes[] = {SIGSEGV, SIGBUS, SIGFPE, SIGILL, SIGABRT};
    struct sigaction action = {.sa_handler = on_crash, .sa_flags = SA_ONSTACK};
    const struct itimerval second = {.it_interval = {.tv_sec = 1}, .it_value = {.tv_sec = 1}};
    limit_s = most_s;
    told.fd = fd;
    told.before = before;
    told.behind = behind;
    told.status = status;
    told.terminal = tcgetattr(STDIN_FILENO, &told.settings) == 0;
    (void)sigaltstack(&stack, NULL);
    for (size_t i = 0; i < sizeof crashes / sizeof crashes[0]; i++)
        (void)sigaction(crashes[i], &action, NULL);
    action.sa_handler = on_second;
    action.sa_flags |= SA_RESTART;
    (void)sigaction(SIGPROF, &action, NULL);
    (void)setitimer(ITIMER_PROF, &second, NULL);
    (void)sigaction(SIGALRM, &action, NULL);
    (void)setitimer(ITIMER_REAL, &second, NULL);
    (void)atexit(on_exit_of_firmware);
}
