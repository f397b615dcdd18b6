/* A device in a world. */
#include "scene/device.h"

#include <stdlib.h>

#include <yarnswift/sets.h>

#include "design/payload.h"
#include "scene/stand_in.h"
#include "wire/att.h"
#include "wire/hci_extended.h"
#include "wire/l2cap.h"

struct ys_device {
    struct ys_host host; /* first, so that an event's host is the device */
    struct ys_sets sets; /* used if the definition needs them */
    struct ys_world *world;
    const char *name;
    const struct ys_design *design;
    struct ys_layout *layout;
    struct ys_firmware firmware;
    struct ys_stand_in_device *stand_in; /* or NULL */
    struct ys_simulated *simulated;
    struct ys_timer interrupt;
    struct ys_device_counts counts;
    bool advertised;
};

/* what the log says */

static const char *name_of(const struct ys_device *device, uint16_t handle)
{
    const struct ys_characteristic *characteristic = NULL;
    if (handle > 0 && handle <= device->layout->count)
        characteristic = device->layout->rows[handle - 1].characteristic;
    return characteristic != NULL ? characteristic->name : "something unknown";
}

static void say_start(const struct ys_device *device)
{
    char text[YS_ADDRESS_TEXT_SIZE];
    struct ys_address address = ys_host_address(&device->host);
    ys_world_say(device->world, YS_SIDE_DEVICE, device->name, "is ready: address %s (%s)",
                 ys_address_format(&address, text), ys_address_kind(&address));
}

static void say_subscription(const struct ys_device *device, const struct ys_event *event)
{
    const char *name = name_of(device, event->u.subscription.handle);
    if (event->u.subscription.notifications || event->u.subscription.indications)
        ys_world_say(device->world, YS_SIDE_DEVICE, device->name, "%s of %s are on",
                     event->u.subscription.indications ? "indications" : "notifications", name);
    else
        ys_world_say(device->world, YS_SIDE_DEVICE, device->name, "sends no more of %s", name);
}

static void say_connected(const struct ys_device *device, const struct ys_event *event)
{
    char text[YS_ADDRESS_TEXT_SIZE];
    ys_world_say(device->world, YS_SIDE_DEVICE, device->name, "connected by %s, every %g ms, timeout %u ms",
                 ys_address_format(&event->u.connected.peer, text), event->u.connected.interval_us / 1000.0,
                 event->u.connected.supervision_timeout_ms);
}

static void say(const struct ys_device *device, const struct ys_event *event)
{
    switch (event->kind) {
    case YS_EVENT_READY:
        say_start(device);
        break;
    case YS_EVENT_START_FAILED:
    case YS_EVENT_CONTROLLER_FAILED:
    case YS_EVENT_ADVERTISING_FAILED:
        ys_world_say(device->world, YS_SIDE_DEVICE, device->name, "failed at %s: %s", event->u.start.step,
                     ys_hci_error_text(event->u.start.status));
        break;
    case YS_EVENT_CONNECTED:
        say_connected(device, event);
        break;
    case YS_EVENT_DISCONNECTED:
        ys_world_say(device->world, YS_SIDE_DEVICE, device->name, "disconnected: %s (0x%02X)",
                     ys_hci_error_text(event->reason), event->reason);
        break;
    case YS_EVENT_MTU:
        ys_world_say(device->world, YS_SIDE_DEVICE, device->name, "agreed on an MTU of %u bytes", event->u.mtu);
        break;
    case YS_EVENT_ADVERTISING_ENDED:
        ys_world_say(device->world, YS_SIDE_DEVICE, device->name, "ends advertising: %s",
                     event->reason == YS_HCI_OK              ? "a central has connected"
                     : event->reason == YS_HCI_LIMIT_REACHED ? "that was its last event"
                                                             : "its time is over");
        break;
    case YS_EVENT_SUBSCRIPTION:
        say_subscription(device, event);
        break;
    default:
        break;
    }
}

static void on_event(struct ys_host *host, void *context, const struct ys_event *event)
{
    struct ys_device *device = (struct ys_device *)host;
    say(device, event);
    if (device->firmware.on_event != NULL)
        device->firmware.on_event(host, context, event);
}

/* what crosses the border to its controller */

static void observe_command(struct ys_device *device, struct ys_reader *reader)
{
    struct ys_hci_command command;
    if (!ys_get_hci_command(reader, &command) ||
        (command.opcode != YS_HCI_LE_SET_ADVERTISING_ENABLE &&
         command.opcode != YS_HCI_LE_SET_EXTENDED_ADVERTISING_ENABLE) ||
        ys_get_u8(&command.parameters) != 1)
        return;
    const struct ys_advertisement *set = device->design->sets;
    const char *verb = device->advertised ? "goes on advertising" : "advertises";
    device->advertised = true;
    if (set->interval_min_us == set->interval_max_us)
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
    device->counts.notifications += data.boundary != YS_HCI_CONTINUING && header.channel == YS_L2CAP_ATT &&
                                    (opcode == YS_ATT_NOTIFICATION || opcode == YS_ATT_INDICATION);
}

static void observe(void *context, enum ys_direction direction, const uint8_t *packet, size_t length)
{
    struct ys_device *device = context;
    struct ys_reader reader = ys_reader_of(packet, length);
    uint8_t type = ys_get_u8(&reader);
    if (direction == YS_TO_CONTROLLER && type == YS_HCI_COMMAND)
        observe_command(device, &reader);
    else if (direction == YS_TO_CONTROLLER && type == YS_HCI_DATA)
        observe_data(device, &reader);
}

static void interrupt(void *context)
{
    struct ys_device *device = context;
    device->firmware.interrupt(device->firmware.context);
    ys_clock_set(device->world->clock, &device->interrupt,
                 ys_world_now_ns(device->world) + device->firmware.interrupt_every_us * YS_NS_PER_US);
}

/* making one */

static bool wire_up(struct ys_device *device, uint16_t number)
{
    const struct ys_address address = {.type = YS_ADDRESS_PUBLIC,
                                       .bytes = {(uint8_t)number, (uint8_t)(number >> 8), 0, 0xff, 0xff, 0}};
    bool has_sets = ys_design_has_sets(device->design);
    device->layout = ys_layout_new(device->design);
    device->simulated = ys_simulated_new(device->world->radio, &(struct ys_simulated_settings){
                                                                   .number = number,
                                                                   .seed = device->world->seed,
                                                                   .address = address,
                                                                   .sets = has_sets ? YS_SETS : 0,
                                                                   .context = device,
                                                                   .observe = observe,
                                                               });
    if (device->layout == NULL || device->simulated == NULL)
        return false;
    uint64_t limit =
        device->design->limits.connections.given ? device->design->limits.connections.number : YS_CONNECTIONS;
    const struct ys_host_settings settings = {
        .port = ys_simulated_port(device->simulated),
        .table = device->firmware.table,
        .context = device->firmware.context,
        .on_event = on_event,
        .address_type = device->design->public_address    ? YS_OWN_PUBLIC
                        : device->design->private_address ? YS_OWN_NON_RESOLVABLE
                                                          : YS_OWN_STATIC,
        .address = device->design->has_address ? device->design->address.bytes : NULL,
        .values = device->firmware.values,
        .connections = (uint8_t)(limit < YS_CONNECTIONS ? limit : 0),
    };
    enum ys_result result = ys_host_init(&device->host, sizeof device->host, &settings);
    if (result != YS_OK) {
        ys_world_say(device->world, YS_SIDE_DEVICE, device->name, "cannot start: %s", ys_result_text(result));
        return false;
    }
    if (has_sets)
        ys_host_use_sets(&device->host, &device->sets);
    ys_simulated_attach(device->simulated, &device->host);
    device->interrupt = (struct ys_timer){.fire = interrupt, .context = device};
    return true;
}

static struct ys_device *new_device(struct ys_world *world, const char *name, const struct ys_design *design)
{
    struct ys_device *device = calloc(1, sizeof *device);
    if (device == NULL)
        return NULL;
    device->world = world;
    device->name = name;
    device->design = design;
    return device;
}

struct ys_device *ys_device_new(struct ys_world *world, uint16_t number, const char *name,
                                const struct ys_design *design, const struct ys_firmware *firmware)
{
    struct ys_device *device = new_device(world, name, design);
    if (device == NULL)
        return NULL;
    device->firmware = *firmware;
    if (wire_up(device, number))
        return device;
    ys_device_free(device);
    return NULL;
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
                                     const struct ys_design *design)
{
    struct ys_device *device = new_device(world, name, design);
    if (device == NULL)
        return NULL;
    device->stand_in = ys_stand_in_new(world, design, number);
    if (device->stand_in != NULL) {
        device->firmware = (struct ys_firmware){
            .table = ys_stand_in_table(device->stand_in),
            .context = device->stand_in,
            .values = ys_stand_in_values(device->stand_in),
            .start = stand_in_start,
            .on_event = stand_in_event,
        };
        if (wire_up(device, number))
            return device;
    }
    ys_device_free(device);
    return NULL;
}

void ys_device_free(struct ys_device *device)
{
    if (device == NULL)
        return;
    ys_clock_cancel(device->world->clock, &device->interrupt);
    ys_simulated_free(device->simulated);
    ys_stand_in_free(device->stand_in);
    ys_layout_free(device->layout);
    free(device);
}

void ys_device_start(struct ys_device *device)
{
    if (device->firmware.start != NULL)
        device->firmware.start(device->firmware.context, &device->host);
    ys_host_start(&device->host);
    if (device->firmware.interrupt != NULL)
        ys_clock_set(device->world->clock, &device->interrupt,
                     ys_world_now_ns(device->world) + device->firmware.interrupt_every_us * YS_NS_PER_US);
}

void ys_device_act(struct ys_device *device, bool on)
{
    if (device->firmware.act != NULL)
        device->firmware.act(device->firmware.context, on);
}

struct ys_address ys_device_address(const struct ys_device *device)
{
    return ys_host_address(&device->host);
}

const struct ys_device_counts *ys_device_counts(const struct ys_device *device)
{
    return &device->counts;
}
