/* What the log says of a device. */
#include "world/device_log.h"

#include <stdio.h>

#include "world/device_state.h"
#include "world/link_words.h"
#include "world/people.h"

const char *ys_device_value_name(const struct ys_device *device, uint16_t handle)
{
    const struct ys_characteristic *characteristic = NULL;
    if (handle > 0 && handle <= device->layout->count)
        characteristic = device->layout->rows[handle - 1].characteristic;
    return characteristic != NULL ? characteristic->name : "something unknown";
}

static void say_start(const struct ys_device *device)
{
    char text[YS_ADDRESS_TEXT_SIZE];
    struct ys_address address = device->module.address((const struct ys_host *)(const void *)device->host);
    ys_world_say(device->world, YS_SIDE_DEVICE, device->name, "is ready: address %s (%s)",
                 ys_address_format(&address, text), ys_address_kind(&address));
}

static void say_subscription(const struct ys_device *device, const struct ys_event *event)
{
    const char *name = ys_device_value_name(device, event->u.subscription.handle);
    if (event->u.subscription.notifications || event->u.subscription.indications)
        ys_world_say(device->world, YS_SIDE_DEVICE, device->name, "%s of %s are on",
                     event->u.subscription.indications ? "indications" : "notifications", name);
    else
        ys_world_say(device->world, YS_SIDE_DEVICE, device->name, "sends no more of %s", name);
}

static void say_connected(const struct ys_device *device, const struct ys_event *event)
{
    char text[YS_ADDRESS_TEXT_SIZE];
    char latency[40] = "";
    if (event->u.connected.latency > 0)
        (void)snprintf(latency, sizeof latency, ", %u of them may be left out", event->u.connected.latency);
    ys_world_say(device->world, YS_SIDE_DEVICE, device->name, "%s %s, every %g ms%s, timeout %u ms",
                 event->u.connected.role == YS_ROLE_CENTRAL ? "has connected to" : "connected by",
                 ys_address_format(&event->u.connected.peer, text), event->u.connected.interval_us / 1000.0, latency,
                 event->u.connected.supervision_timeout_ms);
}

static void say_other(const struct ys_device *device, const struct ys_event *event)
{
    char text[200];
    const char *said = ys_pairing_say(event, text, sizeof text);
    if (said == NULL)
        said = ys_link_say(event, text, sizeof text);
    if (said != NULL)
        ys_world_say(device->world, YS_SIDE_DEVICE, device->name, "%s", said);
}

void ys_device_say(const struct ys_device *device, const struct ys_event *event)
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
        say_other(device, event);
        break;
    }
}
