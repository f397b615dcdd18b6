/* Notifications: an interrupt says that a value changed, and whoever subscribed is sent the newest value.
 *
 *   changed --(spacing has passed)--> pending for each subscriber --(the link has room)--> read and sent */
#include "host/internal.h"

static uint16_t notifiable_of(const struct ys_host *host, uint16_t handle)
{
    const struct ys_attribute *attribute = ys_attribute_at(host, handle);
    if (attribute == NULL || (attribute->kind & YS_ATTRIBUTE_KIND_MASK) != YS_ATTRIBUTE_VALUE)
        return YS_NONE;
    return ((const struct ys_value *)attribute->source)->notifiable;
}

void ys_host_changed(struct ys_host *host, uint16_t handle)
{
    uint16_t notifiable = notifiable_of(host, handle);
    if (notifiable == YS_NONE)
        return;
    host->port->enter_critical(host->port->context);
    ys_bit_set(&host->changed, notifiable, true);
    host->port->leave_critical(host->port->context);
    ys_wake(host);
}

bool ys_host_is_subscribed(const struct ys_host *host, uint16_t handle)
{
    uint16_t notifiable = notifiable_of(host, handle);
    for (size_t i = 0; notifiable != YS_NONE && i < YS_CONNECTIONS; i++) {
        if (host->connections[i].used && ys_bit_get(&host->connections[i].notifications, notifiable))
            return true;
    }
    return false;
}

static struct ys_bits snapshot(const struct ys_host *host)
{
    host->port->enter_critical(host->port->context);
    struct ys_bits changed = host->changed;
    host->port->leave_critical(host->port->context);
    return changed;
}

/* How often a host with a quiet characteristic wants to run at least, so that its end is not missed by a clock that
 * wraps: half of what can be told apart. */
#define QUIET_CHECK_MS 0x40000000u

static bool is_quiet(const struct ys_host *host, uint16_t notifiable, uint32_t now_ms)
{
    return ys_bit_get(&host->quiet, notifiable) && ys_until_ms(now_ms, host->quiet_until_ms[notifiable]) > 0;
}

static void pass_on(struct ys_host *host, uint16_t notifiable, uint32_t now_ms)
{
    bool wanted = false;
    host->port->enter_critical(host->port->context);
    ys_bit_set(&host->changed, notifiable, false);
    host->port->leave_critical(host->port->context);
    for (size_t i = 0; i < YS_CONNECTIONS; i++) {
        struct ys_connection *connection = &host->connections[i];
        if (connection->used && ys_bit_get(&connection->notifications, notifiable)) {
            ys_bit_set(&connection->pending, notifiable, true);
            wanted = true;
        }
    }
    uint16_t spacing_ms = host->table->notifiables[notifiable].spacing_ms;
    ys_bit_set(&host->quiet, notifiable, wanted && spacing_ms > 0);
    host->quiet_until_ms[notifiable] = now_ms + spacing_ms;
}

void ys_notify_collect(struct ys_host *host, uint32_t now_ms)
{
    const struct ys_bits changed = snapshot(host);
    for (uint16_t i = 0; i < host->table->notifiable_count; i++) {
        if ((changed.words[i / 32] | host->quiet.words[i / 32]) == 0) {
            i |= 31; /* a whole word of which there is nothing to do */
            continue;
        }
        if (is_quiet(host, i, now_ms))
            continue;
        ys_bit_set(&host->quiet, i, false);
        if (ys_bit_get(&changed, i))
            pass_on(host, i, now_ms);
    }
}

uint32_t ys_notify_wait_ms(const struct ys_host *host, uint32_t now_ms)
{
    const struct ys_bits changed = snapshot(host);
    uint32_t wait = YS_FOREVER;
    for (uint16_t i = 0; i < host->table->notifiable_count; i++) {
        if (ys_bit_get(&host->quiet, i) && wait > QUIET_CHECK_MS)
            wait = QUIET_CHECK_MS;
        if (!ys_bit_get(&changed, i))
            continue;
        uint32_t until = is_quiet(host, i, now_ms) ? ys_until_ms(now_ms, host->quiet_until_ms[i]) : 0;
        wait = until < wait ? until : wait;
    }
    return wait;
}

/* Part F 3.4.7.1: what does not fit into MTU - 3 bytes is cut off; a client reads the rest. */
static void send_value(struct ys_host *host, struct ys_connection *connection, uint16_t handle)
{
    struct ys_writer writer = ys_l2cap_writer(&host->outgoing, connection->mtu);
    ys_put_att(&writer, &(struct ys_att_pdu){.opcode = YS_ATT_NOTIFICATION, .handle = handle});
    if (ys_attribute_read(host, connection, handle, &writer) != YS_ATT_OK)
        return;
    ys_l2cap_seal(&host->outgoing, YS_L2CAP_ATT, ys_writer_stored(&writer));
    ys_l2cap_send(host, connection);
}

/* Sends one value that is pending; false if there is none or no room for it. */
bool ys_notify_run(struct ys_host *host, struct ys_connection *connection)
{
    for (uint16_t i = 0; i < host->table->notifiable_count; i++) {
        if (!ys_bit_get(&connection->pending, i))
            continue;
        if (!ys_l2cap_fits(host, connection->mtu))
            return false;
        ys_bit_set(&connection->pending, i, false);
        send_value(host, connection, host->table->notifiables[i].handle);
        return true;
    }
    return false;
}
