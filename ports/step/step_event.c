/* Events as bytes. Both sides are compiled from this file, each with its own layout of struct ys_event. */
#include "step/step_event.h"

#include <string.h>

enum shape {
    SHAPE_NONE, /* not sent */
    SHAPE_PLAIN,
    SHAPE_READY,
    SHAPE_START,
    SHAPE_CONNECTED,
    SHAPE_MTU,
    SHAPE_SUBSCRIPTION,
    SHAPE_LEVEL,
    SHAPE_PASSKEY,
    SHAPE_SECURED,
    SHAPE_FAILED,
    SHAPE_BOND,
    SHAPE_LINK
};

static enum shape shape_of(unsigned kind)
{
    static const uint8_t shapes[] = {
        [YS_EVENT_READY] = SHAPE_READY,
        [YS_EVENT_START_FAILED] = SHAPE_START,
        [YS_EVENT_CONTROLLER_FAILED] = SHAPE_START,
        [YS_EVENT_ADVERTISING_FAILED] = SHAPE_START,
        [YS_EVENT_ACCEPT_LIST_FAILED] = SHAPE_START,
        [YS_EVENT_SCAN_FAILED] = SHAPE_START,
        [YS_EVENT_ADVERTISING_ENDED] = SHAPE_PLAIN,
        [YS_EVENT_CONNECTED] = SHAPE_CONNECTED,
        [YS_EVENT_CONNECT_FAILED] = SHAPE_PLAIN,
        [YS_EVENT_DISCONNECTED] = SHAPE_PLAIN,
        [YS_EVENT_MTU] = SHAPE_MTU,
        [YS_EVENT_SUBSCRIPTION] = SHAPE_SUBSCRIPTION,
        [YS_EVENT_SECURITY_WANTED] = SHAPE_LEVEL,
        [YS_EVENT_PASSKEY_SHOW] = SHAPE_PASSKEY,
        [YS_EVENT_PASSKEY_WANTED] = SHAPE_PLAIN,
        [YS_EVENT_NUMBER_COMPARE] = SHAPE_PASSKEY,
        [YS_EVENT_SECURED] = SHAPE_SECURED,
        [YS_EVENT_PAIRING_FAILED] = SHAPE_FAILED,
        [YS_EVENT_ENCRYPTION_FAILED] = SHAPE_PLAIN,
        [YS_EVENT_BOND] = SHAPE_BOND,
        [YS_EVENT_LINK_CHANGED] = SHAPE_LINK,
        [YS_EVENT_LINK_REFUSED] = SHAPE_LINK,
    };
    return kind < sizeof shapes ? (enum shape)shapes[kind] : SHAPE_NONE;
}

static void put_address(struct ys_writer *writer, const struct ys_address *address)
{
    ys_put_u8(writer, (uint8_t)address->type);
    ys_put_bytes(writer, address->bytes, sizeof address->bytes);
}

static void get_address(struct ys_reader *reader, struct ys_address *address)
{
    address->type = ys_get_u8(reader) == YS_ADDRESS_PUBLIC ? YS_ADDRESS_PUBLIC : YS_ADDRESS_RANDOM;
    ys_get_copy(reader, address->bytes, sizeof address->bytes);
}

static void put_text(struct ys_writer *writer, const char *text)
{
    static const struct ys_step_event *sized;
    size_t length = text != NULL ? strlen(text) : 0;
    ys_put_bytes(writer, text, length < sizeof sized->step ? length : sizeof sized->step - 1);
}

static void put_link(struct ys_writer *writer, const struct ys_event *event)
{
    const struct ys_link_state *state = event->u.link.state;
    ys_put_u8(writer, event->u.link.matter);
    if (state == NULL)
        return;
    ys_put_u32(writer, state->interval_us);
    ys_put_u16(writer, state->latency);
    ys_put_u16(writer, state->supervision_timeout_ms);
    ys_put_u8(writer, state->send_phy);
    ys_put_u8(writer, state->receive_phy);
    ys_put_u8(writer, state->send_length);
    ys_put_u8(writer, state->receive_length);
}

static void get_link(struct ys_reader *reader, struct ys_step_event *into)
{
    into->event.u.link.matter = ys_get_u8(reader);
    into->event.u.link.state = &into->link;
    if (ys_reader_left(reader) == 0)
        return;
    into->link.interval_us = ys_get_u32(reader);
    into->link.latency = ys_get_u16(reader);
    into->link.supervision_timeout_ms = ys_get_u16(reader);
    into->link.send_phy = ys_get_u8(reader);
    into->link.receive_phy = ys_get_u8(reader);
    into->link.send_length = ys_get_u8(reader);
    into->link.receive_length = ys_get_u8(reader);
}

/* What is looked up in tables by whoever says it. */
static bool is_known(enum shape shape, const struct ys_event *event)
{
    switch (shape) {
    case SHAPE_LEVEL:
        return event->u.level >= YS_LEVEL_OPEN && event->u.level <= YS_LEVEL_SECURE_CONNECTIONS;
    case SHAPE_SECURED:
        return event->u.secured.level <= YS_LEVEL_SECURE_CONNECTIONS && event->u.secured.method < YS_METHODS;
    case SHAPE_BOND:
        return event->u.bond.change <= YS_BOND_NOT_STORED;
    case SHAPE_LINK:
        return event->u.link.matter <= YS_LINK_LENGTH;
    default:
        return true;
    }
}

bool ys_step_event_put(struct ys_writer *writer, const struct ys_event *event, const struct ys_address *own)
{
    enum shape shape = shape_of((unsigned)event->kind);
    if (shape == SHAPE_NONE)
        return false;
    ys_put_u8(writer, (uint8_t)event->kind);
    ys_put_u16(writer, event->connection);
    ys_put_u8(writer, event->reason);
    ys_put_u8(writer, event->set);
    switch (shape) {
    case SHAPE_READY:
        put_address(writer, own);
        break;
    case SHAPE_START:
        ys_put_u8(writer, event->u.start.status);
        put_text(writer, event->u.start.step);
        break;
    case SHAPE_CONNECTED:
        put_address(writer, &event->u.connected.peer);
        ys_put_u8(writer, (uint8_t)event->u.connected.role);
        ys_put_u32(writer, event->u.connected.interval_us);
        ys_put_u16(writer, event->u.connected.latency);
        ys_put_u16(writer, event->u.connected.supervision_timeout_ms);
        break;
    case SHAPE_MTU:
        ys_put_u16(writer, event->u.mtu);
        break;
    case SHAPE_SUBSCRIPTION:
        ys_put_u16(writer, event->u.subscription.handle);
        ys_put_u8(writer, event->u.subscription.notifications);
        ys_put_u8(writer, event->u.subscription.indications);
        break;
    case SHAPE_LEVEL:
        ys_put_u8(writer, event->u.level);
        break;
    case SHAPE_PASSKEY:
        ys_put_u32(writer, event->u.passkey);
        break;
    case SHAPE_SECURED:
        ys_put_u8(writer, event->u.secured.level);
        ys_put_u8(writer, event->u.secured.key_size);
        ys_put_u8(writer, event->u.secured.method);
        ys_put_u8(writer, event->u.secured.bond);
        ys_put_u8(writer, event->u.secured.paired);
        break;
    case SHAPE_FAILED:
        ys_put_u8(writer, event->u.failed.by_peer);
        break;
    case SHAPE_BOND:
        ys_put_u8(writer, event->u.bond.number);
        ys_put_u8(writer, event->u.bond.change);
        break;
    case SHAPE_LINK:
        put_link(writer, event);
        break;
    default:
        break;
    }
    return true;
}

static void get_start(struct ys_reader *reader, struct ys_step_event *into)
{
    into->event.u.start.status = ys_get_u8(reader);
    into->event.u.start.step = into->step;
    size_t length = ys_reader_left(reader);
    ys_get_copy(reader, into->step, length < sizeof into->step ? length : sizeof into->step - 1);
}

static void get_connected(struct ys_reader *reader, struct ys_event *event)
{
    get_address(reader, &event->u.connected.peer);
    event->u.connected.role = ys_get_u8(reader) == YS_ROLE_CENTRAL ? YS_ROLE_CENTRAL : YS_ROLE_PERIPHERAL;
    event->u.connected.interval_us = ys_get_u32(reader);
    event->u.connected.latency = ys_get_u16(reader);
    event->u.connected.supervision_timeout_ms = ys_get_u16(reader);
}

/* Of pairing. */
static void get_secured(struct ys_reader *reader, struct ys_event *event)
{
    event->u.secured.level = ys_get_u8(reader);
    event->u.secured.key_size = ys_get_u8(reader);
    event->u.secured.method = ys_get_u8(reader);
    event->u.secured.bond = ys_get_u8(reader);
    event->u.secured.paired = ys_get_u8(reader) != 0;
}

static void get_subscription(struct ys_reader *reader, struct ys_event *event)
{
    event->u.subscription.handle = ys_get_u16(reader);
    event->u.subscription.notifications = ys_get_u8(reader) != 0;
    event->u.subscription.indications = ys_get_u8(reader) != 0;
}

static void get_bond(struct ys_reader *reader, struct ys_event *event)
{
    event->u.bond.number = ys_get_u8(reader);
    event->u.bond.change = ys_get_u8(reader);
}

bool ys_step_event_get(struct ys_reader *reader, struct ys_step_event *into)
{
    struct ys_event *event = &into->event;
    memset(into, 0, sizeof *into);
    uint8_t kind = ys_get_u8(reader);
    enum shape shape = shape_of(kind);
    event->kind = (enum ys_event_kind)kind;
    event->connection = ys_get_u16(reader);
    event->reason = ys_get_u8(reader);
    event->set = ys_get_u8(reader);
    if (shape == SHAPE_NONE)
        return false;
    if (shape == SHAPE_READY)
        get_address(reader, &into->own);
    else if (shape == SHAPE_START)
        get_start(reader, into);
    else if (shape == SHAPE_CONNECTED)
        get_connected(reader, event);
    else if (shape == SHAPE_MTU)
        event->u.mtu = ys_get_u16(reader);
    else if (shape == SHAPE_SUBSCRIPTION)
        get_subscription(reader, event);
    else if (shape == SHAPE_LEVEL)
        event->u.level = ys_get_u8(reader);
    else if (shape == SHAPE_PASSKEY)
        event->u.passkey = ys_get_u32(reader);
    else if (shape == SHAPE_SECURED)
        get_secured(reader, event);
    else if (shape == SHAPE_FAILED)
        event->u.failed.by_peer = ys_get_u8(reader) != 0;
    else if (shape == SHAPE_BOND)
        get_bond(reader, event);
    else if (shape == SHAPE_LINK)
        get_link(reader, into);
    return ys_reader_done(reader) && is_known(shape, event);
}
