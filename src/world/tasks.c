/* Tasks of a central: begun, ended, waited for. */
#include "world/tasks.h"

#include <stdarg.h>
#include <stdio.h>
#include <string.h>

#include "simulated/simulated.h"

void central_say(const struct ys_central *central, const char *format, ...)
{
    char text[480];
    va_list arguments;
    va_start(arguments, format);
    (void)vsnprintf(text, sizeof text, format, arguments);
    va_end(arguments);
    ys_world_say(central->world, central->device != NULL ? YS_SIDE_DEVICE : YS_SIDE_CENTRAL, central->name, "%s", text);
}

struct ys_simulated *central_port(const struct ys_central *central)
{
    return central->device != NULL ? ys_device_simulated(central->device) : central->simulated;
}

uint8_t central_phys(const struct ys_central *central)
{
    return central->traits->coded ? YS_1M | YS_CODED : YS_1M;
}

bool ys_central_is_on(const struct ys_central *central)
{
    return central_port(central) != NULL;
}

void task_add(struct ys_task **list, struct ys_task *task)
{
    while (*list != NULL)
        list = &(*list)->next;
    task->next = NULL;
    *list = task;
}

void task_remove(struct ys_task **list, struct ys_task *task)
{
    while (*list != NULL && *list != task)
        list = &(*list)->next;
    if (*list != NULL)
        *list = task->next;
}

static void time_is_over(void *context)
{
    struct ys_task *task = context;
    task->give_up(task);
}

void task_begin(struct ys_task *task, struct ys_central *central, struct ys_peer *peer, const char *what,
                uint64_t at_most_ns)
{
    *task = (struct ys_task){
        .central = central,
        .peer = peer,
        .what = what,
        .began_ns = ys_world_now_ns(central->world),
        .patience_ns = at_most_ns > 0 ? at_most_ns : central->traits->patience_us * YS_NS_PER_US,
        .timer = {.fire = time_is_over, .context = task},
    };
    task->next_running = central->running;
    central->running = task;
    ys_clock_set(central->world->clock, &task->timer, task->began_ns + task->patience_ns);
}

void task_end(struct ys_task *task, bool good, const char *format, ...)
{
    va_list arguments;
    va_start(arguments, format);
    (void)vsnprintf(task->came, sizeof task->came, format, arguments);
    va_end(arguments);
    memcpy(task->brief, task->came, sizeof task->brief);
    task->done = true;
    task->good = good;
    struct ys_task **place = &task->central->running;
    while (*place != NULL && *place != task)
        place = &(*place)->next_running;
    if (*place != NULL)
        *place = task->next_running;
    ys_clock_cancel(task->central->world->clock, &task->timer);
    central_say(task->central, "%s", task->came);
    ys_world_stir(task->central->world);
}

void ys_task_give_up(struct ys_task *task, uint64_t after_ns)
{
    task->patience_ns = after_ns; /* which it tells */
    task->give_up(task);
}

bool ys_task_wait(struct ys_task *task)
{
    struct ys_world *world = task->central->world;
    return ys_world_run_until(world, &task->done, 2 * task->patience_ns + YS_NS_PER_S) && task->good;
}

double task_passed_ms(const struct ys_task *task)
{
    return (double)(ys_world_now_ns(task->central->world) - task->began_ns) / (double)YS_NS_PER_MS;
}
