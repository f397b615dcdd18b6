/* Notifications and indications: an interrupt says that a value changed, and whoever subscribed is sent the newest
 * value.
 *
 *   changed --(spacing has passed)--> pending for each subscriber --(the link has room)--> read and sent
 *
 * An indication also waits until the last one was confirmed (Core 5.4 Vol 3 Part F 3.3.2). */
#include "host/internal.h"

#define CONFIRMATION_TIMEOUT_MS 30000u
#define WORDS                   ((YS_NOTIFIABLES + 31) / 32)

uint16_t ys_notifiable_of(const struct ys_host *host, uint16_t handle)
{
    const struct ys_attribute *attribute = ys_attribute_at(host, handle);
    if (attribute == NULL || (attribute->kind & YS_ATTRIBUTE_KIND_MASK) != YS_ATTRIBUTE_VALUE)
        return YS_NONE;
    return ((const struct ys_value *)attribute->source)->notifiable;
}

static bool is_subscribed(const struct ys_connection *connection, uint16_t notifiable)
{
    return ys_bit_get(&connection->notifications, notifiable) || ys_bit_get(&connection->indications, notifiable);
}

/* 32 notifiables that changed. An interrupt may set bits meanwhile: each is seen now or the next time. */
static uint32_t changed_word(const struct ys_host *host, size_t word)
{
    return YS_LOAD(host->changed.words[word]);
}

static void set_changed(struct ys_host *host, uint16_t notifiable, bool on)
{
    uint32_t mask = UINT32_C(1) << notifiable % 32;
    host->port->enter_critical(host->port->context);
    uint32_t word = host->changed.words[notifiable / 32];
    YS_STORE(host->changed.words[notifiable / 32], on ? word | mask : word & ~mask);
    host->port->leave_critical(host->port->context);
}

void ys_host_changed(struct ys_host *host, uint16_t handle)
{
    uint16_t notifiable = ys_notifiable_of(host, handle);
    if (notifiable == YS_NONE)
        return;
    set_changed(host, notifiable, true);
    ys_wake(host);
}

bool ys_host_is_subscribed(const struct ys_host *host, uint16_t handle)
{
    uint16_t notifiable = ys_notifiable_of(host, handle);
    for (size_t i = 0; notifiable != YS_NONE && i < YS_CONNECTIONS; i++) {
        if (host->connections[i].used && is_subscribed(&host->connections[i], notifiable))
            return true;
    }
    return false;
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
    set_changed(host, notifiable, false);
    for (size_t i = 0; i < YS_CONNECTIONS; i++) {
        struct ys_connection *connection = &host->connections[i];
        if (connection->used && is_subscribed(connection, notifiable)) {
            ys_bit_set(&connection->pending, notifiable, true);
            wanted = true;
        }
    }
    uint16_t spacing_ms = host->table->notifiables[notifiable].spacing_ms;
    ys_bit_set(&host->quiet, notifiable, wanted && spacing_ms > 0);
    host->quiet_until_ms[notifiable] = now_ms + spacing_ms;
}

static void collect_word(struct ys_host *host, size_t word, uint32_t now_ms)
{
    uint32_t changed = changed_word(host, word);
    uint32_t active = changed | host->quiet.words[word];
    for (uint16_t i = (uint16_t)(32 * word); active != 0; i++, active >>= 1, changed >>= 1) {
        if ((active & 1) == 0 || is_quiet(host, i, now_ms))
            continue;
        ys_bit_set(&host->quiet, i, false);
        if ((changed & 1) != 0)
            pass_on(host, i, now_ms);
    }
}

void ys_notify_collect(struct ys_host *host, uint32_t now_ms)
{
    for (size_t word = 0; word < WORDS; word++) {
        if ((changed_word(host, word) | host->quiet.words[word]) != 0)
            collect_word(host, word, now_ms);
    }
}

static uint32_t wait_of_word(const struct ys_host *host, size_t word, uint32_t now_ms)
{
    uint32_t changed = changed_word(host, word);
    uint32_t wait = host->quiet.words[word] != 0 ? QUIET_CHECK_MS : YS_FOREVER;
    for (uint16_t i = (uint16_t)(32 * word); changed != 0; i++, changed >>= 1) {
        uint32_t until = is_quiet(host, i, now_ms) ? ys_until_ms(now_ms, host->quiet_until_ms[i]) : 0;
        if ((changed & 1) != 0 && until < wait)
            wait = until;
    }
    return wait;
}

uint32_t ys_notify_wait_ms(const struct ys_host *host, uint32_t now_ms)
{
    uint32_t wait = YS_FOREVER;
    for (size_t word = 0; word < WORDS; word++) {
        if ((changed_word(host, word) | host->quiet.words[word]) == 0)
            continue;
        uint32_t until = wait_of_word(host, word, now_ms);
        wait = until < wait ? until : wait;
    }
    return wait;
}

/* Part F 3.4.7.1 and 3.4.7.2: what does not fit into MTU - 3 bytes is cut off; a client reads the rest. */
static void send_value(struct ys_host *host, struct ys_connection *connection, uint16_t handle, bool indicate)
{
    struct ys_writer writer = ys_l2cap_writer(&host->outgoing, connection->mtu);
    ys_put_att(&writer,
               &(struct ys_att_pdu){.opcode = indicate ? YS_ATT_INDICATION : YS_ATT_NOTIFICATION, .handle = handle});
    if (ys_attribute_read(host, connection, handle, &writer) != YS_ATT_OK)
        return;
    ys_l2cap_seal(&host->outgoing, YS_L2CAP_ATT, ys_writer_stored(&writer));
    ys_l2cap_send(host, connection);
    if (indicate) {
        connection->indicating = true;
        connection->indicated = handle;
        connection->indication_deadline_ms = ys_now_ms(host) + CONFIRMATION_TIMEOUT_MS;
    }
}

/* Puts one of several values (3.4.7.4), each with its handle and length; false, and nothing, if it does not fit. */
static bool put_value(struct ys_host *host, struct ys_connection *connection, struct ys_writer *writer, uint16_t handle)
{
    size_t mark = ys_writer_length(writer);
    ys_put_u16(writer, handle);
    ys_put_u16(writer, 0);
    uint8_t error = ys_attribute_read(host, connection, handle, writer);
    size_t length = ys_writer_length(writer) - mark - 4;
    if (error == YS_ATT_OK && ys_writer_ok(writer)) {
        writer->start[mark + 2] = (uint8_t)length;
        writer->start[mark + 3] = (uint8_t)(length >> 8);
        return true;
    }
    writer->length = mark;
    return false;
}

static bool is_due(const struct ys_host *host, const struct ys_connection *connection, uint16_t notifiable)
{
    return ys_bit_get(&connection->pending, notifiable) &&
           (connection->awareness == AWARE ||
            ys_caching_allows(host, connection, host->table->notifiables[notifiable].handle));
}

/* Sends as many notifications in one PDU as fit, if there are at least two. */
static bool send_several(struct ys_host *host, struct ys_connection *connection)
{
    struct ys_bits sent = {{0}};
    size_t count = 0;
    struct ys_writer writer = ys_l2cap_writer(&host->outgoing, connection->mtu);
    ys_put_u8(&writer, YS_ATT_NOTIFICATIONS);
    for (uint16_t i = 0; i < host->table->notifiable_count; i++) {
        if (is_due(host, connection, i) && !ys_bit_get(&connection->indications, i) &&
            put_value(host, connection, &writer, host->table->notifiables[i].handle)) {
            ys_bit_set(&sent, i, true);
            count++;
        }
    }
    if (count < 2)
        return false;
    for (size_t word = 0; word < WORDS; word++)
        connection->pending.words[word] &= ~sent.words[word];
    ys_l2cap_seal(&host->outgoing, YS_L2CAP_ATT, ys_writer_stored(&writer));
    ys_l2cap_send(host, connection);
    return true;
}

static bool has_several(const struct ys_connection *connection)
{
    size_t words = 0;
    for (size_t word = 0; word < WORDS; word++) {
        uint32_t bits = connection->pending.words[word];
        words += bits != 0;
        if ((bits & (bits - 1)) != 0)
            return true;
    }
    return words > 1;
}

/* Sends what is pending: one value, or several in one, where the client takes them so; false if there is none or no
 * room. */
bool ys_notify_run(struct ys_host *host, struct ys_connection *connection)
{
    if ((connection->features & FEATURE_MULTIPLE_NOTIFICATIONS) != 0 && has_several(connection) &&
        ys_l2cap_fits(host, connection, connection->mtu) && send_several(host, connection))
        return true;
    for (uint16_t i = 0; i < host->table->notifiable_count; i++) {
        if (connection->pending.words[i / 32] == 0) {
            i |= 31; /* a whole word of which there is nothing to do */
            continue;
        }
        bool indicate = ys_bit_get(&connection->indications, i);
        if (!is_due(host, connection, i) || (indicate && connection->indicating))
            continue;
        if (!ys_l2cap_fits(host, connection, connection->mtu))
            return false;
        ys_bit_set(&connection->pending, i, false);
        send_value(host, connection, host->table->notifiables[i].handle, indicate);
        return true;
    }
    return false;
}

void ys_notify_confirmed(const struct ys_host *host, struct ys_connection *connection)
{
    if (connection->indicating && (connection->awareness != AWARE || connection->remembered != 0))
        ys_caching_confirmed(host, connection);
    connection->indicating = false;
}

/* Part F 3.3.3: after 30 s without a confirmation nothing more may be sent on this bearer, so it ends. */
void ys_notify_check(struct ys_host *host, struct ys_connection *connection, uint32_t now_ms)
{
    if (ys_until_ms(now_ms, connection->indication_deadline_ms) > 0)
        return;
    connection->indicating = false;
    ys_host_log(host, "a client did not confirm an indication; ends its connection", connection->handle);
    (void)ys_disconnect(host, connection->handle);
}

static void emit_value(struct ys_host *host, const struct ys_connection *connection, uint16_t handle,
                       enum ys_notification_kind kind, const uint8_t *value, size_t length)
{
    ys_emit(host, &(struct ys_event){
                      .kind = YS_EVENT_NOTIFICATION,
                      .connection = connection->handle,
                      .u.notification = {.handle = handle, .kind = kind, .length = (uint16_t)length, .value = value},
                  });
}

/* 3.4.7.4: each value behind its handle and length; the last may be cut off. */
static void emit_several(struct ys_host *host, const struct ys_connection *connection, const struct ys_att_pdu *pdu)
{
    struct ys_reader reader = ys_reader_of(pdu->value, pdu->length);
    while (ys_reader_left(&reader) >= 4 && connection->used) {
        uint16_t handle = ys_get_u16(&reader);
        size_t length = ys_get_u16(&reader);
        if (length > ys_reader_left(&reader))
            length = ys_reader_left(&reader);
        emit_value(host, connection, handle, YS_BY_NOTIFICATION, ys_get_bytes(&reader, length), length);
    }
}

/* From a server: told, and an indication confirmed as soon as there is room, whoever asked for it. */
void ys_notify_received(struct ys_host *host, struct ys_connection *connection, const struct ys_att_pdu *pdu,
                        enum ys_att_verdict verdict)
{
    if (verdict != YS_ATT_GOOD)
        return;
    if (pdu->opcode == YS_ATT_NOTIFICATIONS) {
        emit_several(host, connection, pdu);
        return;
    }
    bool indication = pdu->opcode == YS_ATT_INDICATION;
    emit_value(host, connection, pdu->handle, indication ? YS_BY_INDICATION : YS_BY_NOTIFICATION, pdu->value,
               pdu->length);
    if (indication)
        connection->confirm_due = true;
}
