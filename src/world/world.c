/* A world. */
#include "world/world.h"

#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>

#include "sim/controller.h"

struct ys_neighbour {
    struct ys_controller *controller;
    ys_neighbour_begins_fn *begins;
    uint32_t parameter;
    struct ys_timer timer;
    struct ys_neighbour *next;
};

bool ys_world_init(struct ys_world *world, uint64_t seed, ys_line_fn *line, void *line_context)
{
    *world = (struct ys_world){.clock = ys_clock_new(), .seed = seed, .line = line, .line_context = line_context};
    if (world->clock != NULL)
        world->radio = ys_radio_new(world->clock);
    if (world->radio != NULL)
        return true;
    ys_clock_free(world->clock);
    return false;
}

void ys_world_end(struct ys_world *world)
{
    for (struct ys_recording *recording = world->recordings; recording != NULL; recording = recording->next) {
        recording->to_ns = ys_world_now_ns(world);
        ys_sorter_end(recording->sorter);
        ys_sorter_free(recording->sorter);
    }
    while (world->neighbours != NULL) {
        struct ys_neighbour *neighbour = world->neighbours;
        world->neighbours = neighbour->next;
        ys_clock_cancel(world->clock, &neighbour->timer);
        ys_controller_free(neighbour->controller);
        free(neighbour);
    }
    ys_radio_free(world->radio);
    ys_clock_free(world->clock);
}

static void neighbour_begins(void *context)
{
    struct ys_neighbour *neighbour = context;
    neighbour->begins(neighbour->controller, neighbour->parameter);
}

bool ys_world_neighbour(struct ys_world *world, const struct ys_controller_settings *settings, uint64_t after_ns,
                        ys_neighbour_begins_fn *begins, uint32_t parameter)
{
    struct ys_neighbour *neighbour = calloc(1, sizeof *neighbour);
    if (neighbour == NULL)
        return false;
    neighbour->controller = ys_controller_new(world->radio, settings);
    neighbour->begins = begins;
    neighbour->parameter = parameter;
    neighbour->timer = (struct ys_timer){.fire = neighbour_begins, .context = neighbour};
    neighbour->next = world->neighbours;
    world->neighbours = neighbour;
    if (neighbour->controller != NULL)
        ys_clock_set(world->clock, &neighbour->timer, ys_world_now_ns(world) + after_ns);
    return neighbour->controller != NULL;
}

static void record_air(void *context, const struct ys_air_packet *packet)
{
    const struct ys_recording *recording = context;
    ys_sorter_take_air(recording->sorter, packet);
}

void ys_world_record(struct ys_world *world, struct ys_recording *recording)
{
    if (recording == NULL)
        return;
    recording->sorter = ys_sorter_new(&recording->sink);
    if (recording->sorter == NULL)
        abort(); /* as sim/radio.c does */
    recording->from_ns = ys_world_now_ns(world);
    recording->observer = (struct ys_observer){.observe = record_air, .context = recording};
    recording->next = world->recordings;
    world->recordings = recording;
    ys_radio_observe(world->radio, &recording->observer);
}

void ys_world_flush(const struct ys_world *world)
{
    for (const struct ys_recording *recording = world->recordings; recording != NULL; recording = recording->next)
        ys_sorter_end(recording->sorter);
}

void ys_world_cross(const struct ys_world *world, uint16_t number, const char *name, enum ys_direction direction,
                    const uint8_t *packet, size_t length)
{
    for (const struct ys_recording *recording = world->recordings; recording != NULL; recording = recording->next)
        ys_sorter_take(recording->sorter, &(struct ys_record){.kind = YS_RECORD_HCI,
                                                              .at_ns = ys_world_now_ns(world),
                                                              .to_host = direction == YS_TO_HOST,
                                                              .direction_is_sure = true,
                                                              .device = number,
                                                              .name = name,
                                                              .bytes = packet,
                                                              .length = length});
}

uint64_t ys_world_now_ns(const struct ys_world *world)
{
    return ys_clock_now_ns(world->clock);
}

void ys_world_say(const struct ys_world *world, enum ys_side side, const char *name, const char *format, ...)
{
    char text[512];
    va_list arguments;
    if (world->line == NULL)
        return;
    va_start(arguments, format);
    (void)vsnprintf(text, sizeof text, format, arguments);
    va_end(arguments);
    world->line(world->line_context, ys_world_now_ns(world), side, name, text);
}

void ys_world_break(struct ys_world *world, const char *text)
{
    if (world->failure[0] == '\0')
        (void)snprintf(world->failure, sizeof world->failure, "%s", text);
    ys_clock_stop(world->clock);
    ys_world_stir(world);
}

void ys_world_fail(struct ys_world *world, const char *device, const char *text)
{
    char failure[sizeof world->failure];
    (void)snprintf(failure, sizeof failure, "the firmware of %s cannot go on: %s", device, text);
    ys_world_break(world, failure);
}

void ys_world_stir(struct ys_world *world)
{
    world->stirred = true;
}

void ys_world_run(struct ys_world *world, uint64_t for_ns)
{
    ys_clock_run(world->clock, ys_world_now_ns(world) + for_ns);
}

bool ys_world_run_until(struct ys_world *world, const bool *flag, uint64_t at_most_ns)
{
    return ys_clock_run_for(world->clock, flag, ys_world_now_ns(world) + at_most_ns);
}
