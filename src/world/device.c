/* A device in a world. */
#include "world/device.h"

#include <stddef.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <yarnswift/pairing.h>
#include <yarnswift/sets.h>

#include "design/making/payload.h"
#include "wire/att.h"
#include "wire/hci_extended.h"
#include "wire/l2cap.h"
#include "world/device_log.h"
#include "world/device_state.h"
#include "world/device_watch.h"
#include "world/people.h"
#include "world/plug.h"
#include "world/stand_in.h"

/* Of what survives without power, in bytes. */
#define STORE_SIZE 65536

/* A person can read the display. Firmware handles entries by itself. */
static void show(struct ys_device *device, const struct ys_event *event)
{
    if (event->kind == YS_EVENT_PASSKEY_SHOW || event->kind == YS_EVENT_NUMBER_COMPARE)
        ys_people_show(&device->person, event->u.passkey);
    if (device->stand_in != NULL)
        ys_person_see(&device->person, event);
}

static void on_event(struct ys_host *host, void *context, const struct ys_event *event)
{
    struct ys_device *device = ys_device_of(host);
    device->ready |= event->kind == YS_EVENT_READY;
    if (device->take == NULL) /* else it says so itself */
        ys_device_say(device, event);
    show(device, event);
    if (device->firmware.on_event != NULL) {
        const struct ys_running before = ys_running_begin(device->name, "its event handler", NULL);
        device->firmware.on_event(host, context, event);
        ys_running_end(before);
    }
    if (device->take != NULL)
        device->take(device->taker, event);
    ys_world_stir(device->world);
}

static void log_line(void *context, const char *text, uint32_t value)
{
    const struct ys_device *device = context;
    ys_world_say(device->world, YS_SIDE_DEVICE, device->name, "says: %s %u", text, (unsigned)value);
    ys_world_stir(device->world);
}

/* what crosses the interface to its controller */

static void observe_command(struct ys_device *device, struct ys_reader *reader)
{
    struct ys_hci_command command;
    if (!ys_get_hci_command(reader, &command) ||
        (command.opcode != YS_HCI_LE_SET_ADVERTISING_ENABLE &&
         command.opcode != YS_HCI_LE_SET_EXTENDED_ADVERTISING_ENABLE) ||
        ys_get_u8(&command.parameters) != 1)
        return;
    const struct ys_advertisement *set = device->design->sets;
    const char *verb = device->advertised ? "continues to advertise" : "advertises";
    device->advertised = true;
    if (set == NULL) /* of which its definition says nothing */
        ys_world_say(device->world, YS_SIDE_DEVICE, device->name, "%s", verb);
    else if (set->interval_min_us == set->interval_max_us)
        ys_world_say(device->world, YS_SIDE_DEVICE, device->name, "%s every %g ms, plus up to 10 ms at random", verb,
                     (double)set->interval_min_us / 1000);
    else
        ys_world_say(device->world, YS_SIDE_DEVICE, device->name, "%s every %g to %g ms, plus up to 10 ms at random",
                     verb, (double)set->interval_min_us / 1000, (double)set->interval_max_us / 1000);
}

static void observe_data(struct ys_device *device, struct ys_reader *reader)
{
    struct ys_hci_data data;
    struct ys_l2cap_header header;
    ys_get_hci_data(reader, &data);
    ys_get_l2cap_header(reader, &header);
    uint8_t opcode = ys_get_u8(reader);
    device->notifications += data.boundary != YS_HCI_CONTINUING && header.channel == YS_L2CAP_ATT &&
                             (opcode == YS_ATT_NOTIFICATION || opcode == YS_ATT_INDICATION);
}

static void observe(void *context, enum ys_direction direction, const uint8_t *packet, size_t length)
{
    struct ys_device *device = context;
    struct ys_reader reader = ys_reader_of(packet, length);
    uint8_t type = ys_get_u8(&reader);
    ys_world_cross(device->world, device->number, device->name, direction, packet, length);
    if (direction == YS_TO_CONTROLLER && type == YS_HCI_COMMAND)
        observe_command(device, &reader);
    else if (direction == YS_TO_CONTROLLER && type == YS_HCI_DATA)
        observe_data(device, &reader);
}

/* what runs its firmware */

static void mark_interrupt(struct ys_device *device, bool runs)
{
    if (device->simulated != NULL)
        ys_simulated_interrupt(device->simulated, runs);
}

static void interrupt(void *context)
{
    struct ys_device *device = context;
    struct ys_clock *clock = device->world->clock;
    uint64_t next_ns;
    mark_interrupt(device, true);
    do { /* most of them come while nothing else happens */
        const struct ys_running before = ys_running_begin(device->name, "its timer interrupt", NULL);
        device->firmware.interrupt(device->firmware.context);
        ys_running_end(before);
        next_ns = ys_clock_now_ns(clock) + device->firmware.interrupt_every_us * YS_NS_PER_US;
    } while (!device->world->stirred && ys_clock_pass(clock, next_ns));
    mark_interrupt(device, false);
    ys_clock_set(clock, &device->interrupt, next_ns);
}

static void works(void *context, bool begins)
{
    struct ys_device *device = context;
    if (begins)
        device->before_work = ys_running_begin(device->name, "its work", NULL);
    else
        ys_running_end(device->before_work);
}

/* Its main loop. */
static uint32_t turn(struct ys_host *host)
{
    struct ys_device *device = ys_device_of(host);
    uint32_t wait_ms = device->module.run(host);
    if (device->firmware.loop == NULL)
        return wait_ms;
    const struct ys_running before = ys_running_begin(device->name, "its main loop", NULL);
    uint32_t loop_ms = device->firmware.loop(device->firmware.context, host);
    ys_running_end(before);
    return loop_ms < wait_ms ? loop_ms : wait_ms;
}

/* making one */

static bool wire_up(struct ys_device *device)
{
    const struct ys_address address = {
        .type = YS_ADDRESS_PUBLIC,
        .bytes = {(uint8_t)device->number, (uint8_t)(device->number >> 8), 0, 0xff, 0xff, 0}};
    bool has_sets = device->hardware.extended > 0 ? device->hardware.extended == 1 : ys_design_has_sets(device->design);
    device->simulated = ys_simulated_new(
        device->world->radio, &(struct ys_simulated_settings){
                                  .number = device->number,
                                  .seed = device->world->seed + device->starts * UINT64_C(0x9e3779b97f4a7c15),
                                  .address = address,
                                  .character = device->hardware.character,
                                  .line_bps = device->hardware.line_bps,
                                  .thinks_us = device->hardware.thinks_us,
                                  .adapts = device->hardware.adapts,
                                  .sets = has_sets ? YS_SETS : 0,
                                  .lacks = device->hardware.coded == 2 ? YS_HCI_LE_FEATURE_CODED : 0,
                                  .outside = device->hardware.outside,
                                  .store = device->store,
                                  .context = device,
                                  .observe = observe,
                                  .works = works,
                                  .log = log_line,
                              });
    if (device->simulated == NULL)
        return false;
    device->on_since_ns = ys_world_now_ns(device->world);
    uint64_t most = device->module.connections;
    uint64_t limit = device->design->limits.connections.given ? device->design->limits.connections.number : most;
    const struct ys_host_settings settings = {
        .port = ys_simulated_port(device->simulated),
        .table = &device->watched.table,
        .context = device->firmware.context,
        .on_event = on_event,
        .address_type = device->design->public_address    ? YS_OWN_PUBLIC
                        : device->design->private_address ? YS_OWN_NON_RESOLVABLE
                                                          : YS_OWN_STATIC,
        .address = device->design->has_address ? device->design->address.bytes : NULL,
        .values = device->firmware.values,
        .connections = (uint8_t)(limit < most ? limit : 0),
        .mtu = (uint16_t)device->design->limits.mtu.number,
    };
    enum ys_result result = device->module.init(ys_device_own_host(device), device->module.host_size, &settings);
    if (result != YS_OK) {
        device->world->trouble = ys_result_text(result);
        ys_world_say(device->world, YS_SIDE_DEVICE, device->name, "cannot start: %s", device->world->trouble);
        return false;
    }
    ys_simulated_attach(device->simulated, ys_device_own_host(device), turn);
    return true;
}

static struct ys_device *new_device(struct ys_world *world, uint16_t number, const char *name,
                                    const struct ys_design *design, const struct ys_module *module,
                                    const struct ys_hardware *hardware)
{
    struct ys_device *device = calloc(1, sizeof *device + module->host_size);
    if (device == NULL)
        return NULL;
    device->world = world;
    device->name = name;
    device->number = number;
    device->design = design;
    device->hardware = *hardware;
    device->module = *module;
    device->firmware = *module->firmware;
    device->layout = ys_layout_new(design);
    device->store = ys_store_new(STORE_SIZE);
    device->person = (struct ys_person){.world = world, .host = ys_device_own_host(device), .name = name};
    device->interrupt = (struct ys_timer){.fire = interrupt, .context = device};
    if (device->layout != NULL && device->store != NULL && ys_device_watch(device) && wire_up(device))
        return device;
    ys_device_free(device);
    return NULL;
}

struct ys_device *ys_device_new(struct ys_world *world, uint16_t number, const char *name,
                                const struct ys_design *design, const struct ys_module *module,
                                const struct ys_hardware *hardware)
{
    return new_device(world, number, name, design, module, hardware);
}

struct ys_device *ys_device_with_image(struct ys_world *world, uint16_t number, const char *name,
                                       const struct ys_design *design, struct ys_image *image,
                                       const struct ys_hardware *hardware)
{
    ys_image_belongs(image, world, name);
    struct ys_device *device = new_device(world, number, name, design, ys_image_module(image), hardware);
    if (device != NULL)
        device->image = image;
    return device;
}

struct ys_device *ys_device_plugged(struct ys_world *world, uint16_t number, const char *name,
                                    const struct ys_design *design, struct ys_plug *plug,
                                    const struct ys_hardware *hardware)
{
    struct ys_device *device = new_device(world, number, name, design, ys_plug_module(plug), hardware);
    if (device != NULL)
        device->plug = plug;
    return device;
}

static void stand_in_start(void *context, struct ys_host *host)
{
    ys_stand_in_start(context, host);
}

static void stand_in_event(struct ys_host *host, void *context, const struct ys_event *event)
{
    if (event->kind == YS_EVENT_READY && ys_stand_in_advertising(context)->data != NULL)
        (void)ys_advertise(host, ys_stand_in_advertising(context));
}

struct ys_device *ys_device_stand_in(struct ys_world *world, uint16_t number, const char *name,
                                     const struct ys_design *design, const struct ys_hardware *hardware)
{
    struct ys_stand_in_device *stand_in = ys_stand_in_new(world, design, number);
    if (stand_in == NULL)
        return NULL;
    const struct ys_firmware firmware = {
        .table = ys_stand_in_table(stand_in),
        .context = stand_in,
        .values = ys_stand_in_values(stand_in),
        .start = stand_in_start,
        .on_event = stand_in_event,
    };
    const struct ys_module module = ys_module_linked(&firmware);
    struct ys_device *device = new_device(world, number, name, design, &module, hardware);
    if (device != NULL)
        device->stand_in = stand_in;
    else
        ys_stand_in_free(stand_in);
    return device;
}

static void power_off(struct ys_device *device)
{
    device->ready = false;
    ys_clock_cancel(device->world->clock, &device->interrupt);
    ys_person_leave(&device->person);
    device->activity = ys_device_activity(device);
    if (device->image != NULL)
        ys_image_stop(device->image);
    if (device->plug != NULL)
        ys_plug_stop(device->plug);
    ys_simulated_free(device->simulated);
    device->simulated = NULL;
    if (device->stand_in != NULL)
        ys_stand_in_stop(device->stand_in);
}

void ys_device_free(struct ys_device *device)
{
    if (device == NULL)
        return;
    power_off(device);
    ys_stand_in_free(device->stand_in);
    ys_store_free(device->store);
    ys_layout_free(device->layout);
    free(device->watched.attributes);
    free(device->watched.values);
    free(device);
}

void ys_device_start(struct ys_device *device)
{
    if (device->simulated == NULL && !wire_up(device))
        return; /* it has said so */
    device->starts++;
    device->advertised = false;
    if (device->firmware.start != NULL) {
        const struct ys_running before = ys_running_begin(device->name, "its start", NULL);
        device->firmware.start(device->firmware.context, ys_device_own_host(device));
        ys_running_end(before);
    }
    device->module.start(ys_device_own_host(device));
    if (device->firmware.interrupt != NULL)
        ys_clock_set(device->world->clock, &device->interrupt,
                     ys_world_now_ns(device->world) + device->firmware.interrupt_every_us * YS_NS_PER_US);
}

void ys_device_stop(struct ys_device *device)
{
    power_off(device);
    ys_world_say(device->world, YS_SIDE_DEVICE, device->name, "has no power");
}

struct ys_activity ys_device_activity(const struct ys_device *device)
{
    struct ys_activity activity = device->activity;
    if (device->simulated == NULL)
        return activity;
    ys_activity_add(&activity, NULL, ys_simulated_use(device->simulated));
    activity.seconds += (double)(ys_world_now_ns(device->world) - device->on_since_ns) / 1e9;
    return activity;
}

void ys_device_store(struct ys_device *device, bool works)
{
    ys_store_cut(device->store, works ? YS_STORE_WHOLE : 0);
}

bool ys_device_is_on(const struct ys_device *device)
{
    return device->simulated != NULL;
}

bool ys_device_is_ready(const struct ys_device *device)
{
    return device->ready;
}

bool ys_device_set(struct ys_device *device, const char *name, int64_t value)
{
    for (size_t i = 0; i < device->firmware.input_count; i++) {
        const struct ys_input *input = &device->firmware.inputs[i];
        if (strcmp(input->name, name) != 0)
            continue;
        if (device->image != NULL) {
            ys_image_set(device->image, i, value);
            return true;
        }
        const struct ys_running before = ys_running_begin(device->name, "its input", input->name);
        mark_interrupt(device, !input->in_loop);
        input->set(device->firmware.context, value);
        mark_interrupt(device, false);
        ys_running_end(before);
        return true;
    }
    return false;
}

struct ys_stand_in_device *ys_device_stand_in_of(const struct ys_device *device)
{
    return device->stand_in;
}

void ys_device_drive(struct ys_device *device, ys_device_event_fn *take, void *taker)
{
    device->take = take;
    device->taker = taker;
}

bool ys_device_forget(struct ys_device *device, const struct ys_address *identity)
{
    bool is_on = device->simulated != NULL;
    uint8_t number = identity != NULL && is_on ? ys_bond_find(ys_device_own_host(device), identity) : 0;
    return is_on && device->stand_in != NULL && (identity == NULL || number != 0) &&
           ys_bond_forget(ys_device_own_host(device), number) == YS_OK;
}

struct ys_person *ys_device_person(struct ys_device *device)
{
    return &device->person;
}

void ys_device_hide(struct ys_device *device)
{
    device->person.unseen = true;
}

struct ys_host *ys_device_host(struct ys_device *device)
{
    return ys_device_own_host(device);
}

struct ys_simulated *ys_device_simulated(const struct ys_device *device)
{
    return device->simulated;
}

struct ys_address ys_device_address(const struct ys_device *device)
{
    struct ys_address made;
    if (device->simulated != NULL && ys_simulated_made(device->simulated, &made)) /* it may be switched off */
        return made;
    return device->module.address((const struct ys_host *)(const void *)device->host);
}

uint64_t ys_device_notifications(const struct ys_device *device)
{
    return device->notifications;
}

bool ys_device_has_input(const struct ys_device *device, const char *name, char *names, size_t size)
{
    size_t used = 0;
    bool found = false;
    names[0] = '\0';
    for (size_t i = 0; i < device->firmware.input_count; i++) {
        const char *own = device->firmware.inputs[i].name;
        found |= strcmp(own, name) == 0;
        if (used < size)
            used += (size_t)snprintf(names + used, size - used, "%s\"%s\"", i > 0 ? ", " : "", own);
    }
    return found;
}

const char *ys_device_input(const struct ys_device *device, size_t i)
{
    return i < device->firmware.input_count ? device->firmware.inputs[i].name : NULL;
}

uint16_t ys_device_handle(const struct ys_device *device, const struct ys_characteristic *characteristic)
{
    for (size_t i = 0; i < device->layout->count; i++) {
        if (device->layout->rows[i].kind == YS_ATTRIBUTE_VALUE &&
            device->layout->rows[i].characteristic == characteristic)
            return (uint16_t)(i + 1);
    }
    return 0;
}
