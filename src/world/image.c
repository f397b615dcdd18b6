/* An image in a world: what comes from its controller goes to the target, what the target sends goes to the controller,
 * and the world's clock says when it is next. */
#include "world/image.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "design/making/hash.h"

#define INPUTS_MOST 64

struct ys_image {
    struct ys_target *target;
    struct ys_world *world;
    const char *device;
    struct ys_module module;
    struct ys_firmware firmware;
    struct ys_input inputs[INPUTS_MOST];
    /* of its host, from when that is made on */
    struct ys_host *host;
    struct ys_host_settings settings;
    struct ys_address address;
    struct ys_timer wakes;
    bool running; /* it has not been stopped since the target was reset */
};

/* A host that is elsewhere: all that is here of it. */
struct elsewhere {
    struct ys_image *image;
};

static struct ys_image *image_of(const struct ys_host *host)
{
    return ((const struct elsewhere *)(const void *)host)->image;
}

/* what the target says */

static void packet(void *context, const uint8_t *bytes, size_t length)
{
    const struct ys_image *image = context;
    image->settings.port->send(image->settings.port->context, bytes, length);
}

static void event(void *context, const struct ys_step_event *said)
{
    struct ys_image *image = context;
    if (said->event.kind == YS_EVENT_READY)
        image->address = said->own;
    image->settings.on_event(image->host, image->settings.context, &said->event);
}

static void log_line(void *context, const char *text, uint32_t value)
{
    const struct ys_image *image = context;
    image->settings.port->log(image->settings.port->context, text, value);
}

static const struct ys_target_calls calls = {.packet = packet, .event = event, .log = log_line};

/* what a device does with its host */

static void wake(void *context)
{
    const struct ys_image *image = context;
    image->settings.port->wake(image->settings.port->context);
}

static enum ys_result init(struct ys_host *host, size_t size, const struct ys_host_settings *settings)
{
    struct ys_image *image = settings->context;
    (void)size;
    ((struct elsewhere *)(void *)host)->image = image;
    image->host = host;
    image->settings = *settings;
    image->wakes = (struct ys_timer){.fire = wake, .context = image};
    return YS_OK;
}

static void start(struct ys_host *host)
{
    struct ys_image *image = image_of(host);
    if (!image->running && !ys_target_reset(image->target, ys_world_now_ns(image->world) / YS_NS_PER_US))
        ys_world_fail(image->world, image->device, ys_target_problem(image->target));
    image->running = true;
    wake(image);
}

static uint32_t run(struct ys_host *host)
{
    struct ys_image *image = image_of(host);
    const struct ys_port *port = image->settings.port;
    const uint8_t *bytes;
    size_t length;
    uint64_t until_us;
    if (!image->running)
        return YS_FOREVER;
    while ((bytes = port->receive(port->context, &length)) != NULL)
        ys_target_give(image->target, bytes, length);
    uint64_t now_us = ys_world_now_ns(image->world) / YS_NS_PER_US;
    if (!ys_target_turn(image->target, now_us, &until_us)) {
        ys_world_fail(image->world, image->device, ys_target_problem(image->target));
        return YS_FOREVER;
    }
    if (until_us <= UINT64_MAX / YS_NS_PER_US)
        ys_clock_set(image->world->clock, &image->wakes, until_us * YS_NS_PER_US);
    else
        ys_clock_cancel(image->world->clock, &image->wakes);
    return YS_FOREVER;
}

static struct ys_address address(const struct ys_host *host)
{
    return image_of(host)->address;
}

/* An input is set by its number: ys_image_set. */
static void set(void *context, int64_t value)
{
    (void)context;
    (void)value;
}

struct ys_image *ys_image_open(const char *path, const struct ys_design *design, char *problem, size_t size)
{
    struct ys_image *image = calloc(1, sizeof *image);
    struct ys_layout *layout = ys_layout_new(design);
    if (image != NULL && layout != NULL)
        image->target = ys_target_open(path, ys_layout_stamp(layout), &calls, image, problem, size);
    else
        (void)snprintf(problem, size, "there is no memory for it");
    ys_layout_free(layout);
    if (image == NULL || image->target == NULL) {
        free(image);
        return NULL;
    }
    size_t count = 0;
    const char *name;
    while (count < INPUTS_MOST && (name = ys_target_input(image->target, count)) != NULL)
        image->inputs[count++] = (struct ys_input){.name = name, .set = set};
    image->firmware =
        (struct ys_firmware){.table = &ys_table_bare, .context = image, .inputs = image->inputs, .input_count = count};
    image->module = (struct ys_module){
        .version = YS_MODULE_VERSION,
        .connections = YS_CONNECTIONS,
        .event_size = sizeof(struct ys_event),
        .host_size = sizeof(struct elsewhere),
        .firmware = &image->firmware,
        .init = init,
        .start = start,
        .run = run,
        .address = address,
    };
    image->running = true; /* as it was opened */
    return image;
}

void ys_image_close(struct ys_image *image)
{
    if (image == NULL)
        return;
    ys_target_close(image->target);
    free(image);
}

const struct ys_module *ys_image_module(const struct ys_image *image)
{
    return &image->module;
}

void ys_image_belongs(struct ys_image *image, struct ys_world *world, const char *device)
{
    image->world = world;
    image->device = device;
}

void ys_image_set(struct ys_image *image, size_t input, int64_t value)
{
    if (!image->running)
        return;
    ys_target_set(image->target, input, value);
    wake(image);
}

void ys_image_stop(struct ys_image *image)
{
    if (image->world != NULL)
        ys_clock_cancel(image->world->clock, &image->wakes);
    if (image->running)
        ys_target_stop(image->target);
    image->running = false;
}

struct ys_target *ys_image_report(struct ys_image *image)
{
    return image->running && ys_target_report(image->target) ? image->target : NULL;
}
