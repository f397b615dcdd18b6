/* Virtual time at the pace of the wall's. */
#include "cli/shared/pace.h"

#include <signal.h>
#include <time.h>

#define TICK_NS        YS_NS_PER_MS
#define BEHIND_MOST_NS (250 * YS_NS_PER_MS)

static volatile sig_atomic_t interrupted;

static void on_signal(int number)
{
    interrupted = number;
}

void pace_mind_signals(void)
{
    static const int ends[] = {SIGINT, SIGTERM, SIGHUP};
    for (size_t i = 0; i < sizeof ends / sizeof ends[0]; i++)
        (void)signal(ends[i], on_signal);
}

bool pace_is_interrupted(void)
{
    return interrupted != 0;
}

static uint64_t wall_ns(void)
{
    struct timespec now;
    (void)clock_gettime(CLOCK_MONOTONIC, &now);
    return (uint64_t)now.tv_sec * YS_NS_PER_S + (uint64_t)now.tv_nsec;
}

static void turn_all(const struct pace *pace)
{
    for (size_t i = 0; i < pace->count; i++)
        pace->lines[i].turn(pace->lines[i].context);
}

static void wait_for_wall(const struct pace *pace, uint64_t due_ns)
{
    struct pollfd waits[PACE_LINES_MOST];
    uint64_t now_ns;
    while ((now_ns = wall_ns()) < due_ns && interrupted == 0) {
        const struct timespec left = {.tv_nsec = (long)(due_ns - now_ns < YS_NS_PER_S ? due_ns - now_ns : 1)};
        for (size_t i = 0; i < pace->count; i++)
            waits[i] = pace->lines[i].waits(pace->lines[i].context);
        if (ppoll(waits, (nfds_t)pace->count, &left, NULL) > 0)
            turn_all(pace);
    }
}

static void tick(void *context)
{
    struct pace *pace = context;
    uint64_t now_ns = ys_world_now_ns(pace->world);
    uint64_t due_ns = pace->began_ns + now_ns;
    uint64_t at_ns = wall_ns();
    uint64_t behind_ns = at_ns > due_ns ? at_ns - due_ns : 0;
    pace->behind_ns = behind_ns > pace->behind_ns ? behind_ns : pace->behind_ns;
    if (behind_ns > BEHIND_MOST_NS) { /* it cannot be made up for: the world is late from now on */
        pace->began_ns += behind_ns;
        pace->given_up_ns += behind_ns;
        pace->times++;
    }
    if (interrupted == 0)
        wait_for_wall(pace, due_ns);
    turn_all(pace);
    ys_clock_set(pace->world->clock, &pace->timer, now_ns + TICK_NS);
}

void pace_begin(struct pace *pace)
{
    pace->began_ns = wall_ns() - ys_world_now_ns(pace->world);
    pace->timer = (struct ys_timer){.fire = tick, .context = pace};
    ys_clock_set(pace->world->clock, &pace->timer, ys_world_now_ns(pace->world));
}

void pace_end(struct pace *pace)
{
    ys_clock_cancel(pace->world->clock, &pace->timer);
}

void pace_print(FILE *stream, const struct pace *pace)
{
    (void)fprintf(stream, "for %.1f s, at most %.1f ms behind the clock",
                  (double)ys_world_now_ns(pace->world) / (double)YS_NS_PER_S, (double)pace->behind_ns / 1e6);
    if (pace->times > 0)
        (void)fprintf(stream, "; %u time%s it gave up, %.0f ms in all", pace->times, pace->times == 1 ? "" : "s",
                      (double)pace->given_up_ns / 1e6);
    (void)fputc('\n', stream);
}
