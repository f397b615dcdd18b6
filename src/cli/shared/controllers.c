/* Real controllers: packets from a controller go to the device or central that has it in a scene, in real time. */
#include "cli/shared/controllers.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "cli/shared/options.h"
#include "cli/shared/say.h"

#define READY_NS (5 * YS_NS_PER_S)

/* The words after the place; false if they are none. */
static bool take_words(struct real_controller *one, char *words)
{
    while (words != NULL) {
        unsigned long long bps;
        char *next = strchr(words, ',');
        if (next != NULL)
            *next++ = '\0';
        if (strcmp(words, "flow") == 0)
            one->flow_control = true;
        else if (parse_number(words, &bps) && bps >= 9600 && bps <= 4000000)
            one->bps = (uint32_t)bps;
        else
            return false;
        words = next;
    }
    return true;
}

bool controller_take(struct controllers *controllers, const char *verb, char *argument)
{
    char *equals = strchr(argument, '=');
    if (controllers->count == REAL_CONTROLLERS_MOST)
        return complain(verb, "--controller: at most %d", REAL_CONTROLLERS_MOST);
    struct real_controller *one = &controllers->items[controllers->count];
    char *words = equals != NULL ? strchr(equals, ',') : NULL;
    if (words != NULL)
        *words++ = '\0';
    if (equals == NULL || equals == argument || equals[1] == '\0' || !take_words(one, words))
        return complain(verb, "--controller takes WHO=WHERE[,RATE][,flow]: who has it in the scene; a serial device, a "
                              "socket, or hci0 and so on; 9600 to 4000000 bit/s (115200 if left out); flow control");
    *equals = '\0';
    one->who = argument;
    one->where = equals + 1;
    controllers->count++;
    return true;
}

static void log_line(void *context, const char *text, uint32_t value)
{
    const struct real_controller *one = context;
    if (one->world != NULL)
        ys_world_say(one->world, YS_SIDE_SCENE, one->who, "controller: %s %u", text, (unsigned)value);
}

static void send_packet(void *context, const uint8_t *packet, size_t length)
{
    const struct ys_port *port = ys_line_port(((const struct real_controller *)context)->line);
    port->send(port->context, packet, length);
}

bool controllers_give(struct controllers *controllers, const char *verb, struct ys_scene *scene)
{
    for (size_t i = 0; i < controllers->count; i++) {
        struct real_controller *one = &controllers->items[i];
        for (size_t j = 0; j < scene->actor_count; j++) {
            struct ys_actor *actor = &scene->actors[j];
            if (strcmp(actor->name.text, one->who) != 0)
                continue;
            one->used = true;
            one->actor = j;
            one->outside = (struct ys_outside){.send = send_packet, .context = one};
            actor->hardware.outside = &one->outside;
        }
        if (!one->used)
            return complain(verb, "--controller: the scene has no device or central \"%s\"", one->who);
    }
    return true;
}

bool controllers_open(struct controllers *controllers, char *problem, size_t size)
{
    for (size_t i = 0; i < controllers->count; i++) {
        struct real_controller *one = &controllers->items[i];
        const struct ys_line_settings settings = {
            .where = one->where, .bps = one->bps, .flow_control = one->flow_control, .context = one, .log = log_line};
        one->line = ys_line_open(&settings, problem, size);
        if (one->line == NULL)
            return false;
    }
    return true;
}

void controllers_close(struct controllers *controllers)
{
    for (size_t i = 0; i < controllers->count; i++) {
        if (controllers->items[i].line != NULL)
            ys_line_close(controllers->items[i].line);
        controllers->items[i].line = NULL;
    }
}

/* at the pace of the wall */

static struct pollfd waits(void *context)
{
    const struct real_controller *one = context;
    return (struct pollfd){.fd = ys_line_descriptor(one->line), .events = POLLIN};
}

static void turn(void *context)
{
    struct real_controller *one = context;
    const struct ys_port *port = ys_line_port(one->line);
    const uint8_t *packet;
    size_t length;
    char text[200];
    bool is_there = ys_line_wait(one->line, 0);
    while ((packet = port->receive(port->context, &length)) != NULL) {
        if (one->outside.whose != NULL)
            ys_simulated_hear(one->outside.whose, packet, length);
    }
    if (is_there)
        return;
    (void)snprintf(text, sizeof text, "the controller of %s at %.100s is gone: it was unplugged or closed", one->who,
                   one->where);
    ys_world_break(one->world, text);
}

static bool is_ready(struct ys_stage *stage, size_t actor)
{
    const struct ys_central *central = ys_stage_central(stage, actor);
    return central != NULL ? ys_central_is_ready(central) : ys_device_is_ready(ys_stage_device(stage, actor));
}

/* A controller that is real takes its time to start. One that has not after some seconds never will. */
static void wait_until_ready(struct controllers *controllers, struct ys_stage *stage)
{
    struct ys_world *world = controllers->pace.world;
    char text[400];
    for (size_t i = 0; i < controllers->count; i++) {
        const struct real_controller *one = &controllers->items[i];
        while (!is_ready(stage, one->actor) && ys_world_now_ns(world) < READY_NS && !ys_clock_stands(world->clock))
            ys_world_run(world, 10 * YS_NS_PER_MS);
        if (is_ready(stage, one->actor))
            continue;
        (void)snprintf(text, sizeof text,
                       "%s does not start with the controller at %.100s: look at its wires, its rate and its flow "
                       "control (docs/porting.md, When nothing answers); --log shows how far it came",
                       one->who, one->where);
        ys_world_break(world, text);
    }
}

static void begin_live(void *context, struct ys_world *world)
{
    struct controllers *controllers = context;
    controllers->pace = (struct pace){.world = world};
    for (size_t i = 0; i < controllers->count; i++) {
        struct real_controller *one = &controllers->items[i];
        one->world = world;
        controllers->pace.lines[controllers->pace.count++] = (struct pace_line){waits, turn, one};
    }
    pace_begin(&controllers->pace);
}

static void end_live(void *context, struct ys_world *world)
{
    struct controllers *controllers = context;
    (void)world;
    pace_end(&controllers->pace);
    for (size_t i = 0; i < controllers->count; i++)
        controllers->items[i].world = NULL;
    (void)fputs("in real time, ", stderr);
    pace_print(stderr, &controllers->pace);
}

static void begin(void *context, struct ys_stage *stage)
{
    begin_live(context, ys_stage_world(stage));
    wait_until_ready(context, stage);
}

static void end(void *context, struct ys_stage *stage)
{
    end_live(context, ys_stage_world(stage));
}

struct ys_beside controllers_beside(struct controllers *controllers)
{
    return (struct ys_beside){.begin = begin, .end = end, .context = controllers};
}

bool controllers_live(struct controllers *controllers, const char *verb, struct ys_live *live)
{
    char problem[300];
    *live = (struct ys_live){.begin = begin_live, .end = end_live, .context = controllers};
    for (size_t i = 0; i < controllers->count; i++) {
        struct real_controller *one = &controllers->items[i];
        struct ys_outside **whose = strcmp(one->who, "central") == 0  ? &live->central
                                    : strcmp(one->who, "device") == 0 ? &live->device
                                                                      : NULL;
        if (whose == NULL || *whose != NULL)
            return complain(verb, "--controller: \"%s\" is not \"central\" or \"device\", or is given twice", one->who);
        one->outside = (struct ys_outside){.send = send_packet, .context = one};
        *whose = &one->outside;
    }
    if (live->central == NULL)
        return complain(verb, "--controller: the central needs one, to meet the device: central=WHERE[,RATE][,flow]");
    if (controllers_open(controllers, problem, sizeof problem))
        return true;
    controllers_close(controllers);
    return complain(verb, "%s", problem);
}
