/* Notifications and indications: what is pending for a subscriber is read and sent, once the link has room. An
 * indication also waits until the last one was confirmed (Core 5.4 Vol 3 Part F 3.3.2). */
#include "host/gatt/server/notify.h"

#include <yarnswift/outbox.h>

#include "host/core/bits.h"
#include "host/core/clock.h"
#include "host/core/extras.h"
#include "host/gatt/server/attributes.h"
#include "host/gatt/server/caching.h"
#include "host/gatt/server/features.h"
#include "host/l2cap/frames.h"
#include "wire/att.h"

#define CONFIRMATION_TIMEOUT_MS 30000u /* Vol 3 Part F 3.3.3 */

/* Vol 3 Part F 3.4.7.1 and 3.4.7.2: what does not fit into MTU - 3 bytes is cut off; a client reads the rest (Vol 3
 * Part F 3.4.7.2, 3.4.7.3). */
static void send_value(struct ys_host *host, struct ys_connection *connection, uint16_t handle, bool indicate)
{
    struct ys_writer writer = ys_l2cap_writer(&host->outgoing, connection->mtu);
    ys_put_att(&writer,
               &(struct ys_att_pdu){.opcode = indicate ? YS_ATT_INDICATION : YS_ATT_NOTIFICATION, .handle = handle});
    if (ys_attribute_read(host, connection, handle, &writer) != YS_ATT_OK)
        return;
    ys_l2cap_seal(&host->outgoing, YS_L2CAP_ATT, ys_writer_stored(&writer));
    ys_notify_send(host, connection, handle, indicate);
}

bool ys_notify_may(const struct ys_host *host, const struct ys_connection *connection)
{
    return !connection->silent && (host->receipts == NULL || host->receipts->count < host->receipts->size);
}

void ys_notify_send(struct ys_host *host, struct ys_connection *connection, uint16_t handle, bool indicate)
{
    ys_l2cap_send(host, connection);
    if (indicate) {
        connection->indicating = true;
        connection->indicated = handle;
        connection->indication_deadline_ms = ys_now_ms(host) + CONFIRMATION_TIMEOUT_MS;
    }
    if (host->receipts != NULL)
        host->receipts->extra.calls->sent(host, connection, handle, indicate);
}

/* Puts one of several values (Vol 3 Part F 3.4.7.4), each with its handle and length; false, and nothing, if it does
 * not fit. */
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

/* Vol 3 Part F 3.3.2. */
static bool is_due(const struct ys_host *host, const struct ys_connection *connection, uint16_t notifiable)
{
    return ys_bit_get(&connection->pending, notifiable) &&
           (connection->awareness == AWARE ||
            ys_caching_allows(host, connection, host->table->notifiables[notifiable].handle));
}

/* Sends as many notifications in one PDU as fit, if there are at least two (Vol 3 Part F 3.4.7.4). */
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
    for (size_t word = 0; word < ys_words(host); word++)
        connection->pending.words[word] &= ~sent.words[word];
    ys_l2cap_seal(&host->outgoing, YS_L2CAP_ATT, ys_writer_stored(&writer));
    ys_l2cap_send(host, connection);
    return true;
}

static bool has_several(const struct ys_host *host, const struct ys_connection *connection)
{
    size_t words = 0;
    for (size_t word = 0; word < ys_words(host); word++) {
        uint32_t bits = connection->pending.words[word];
        words += bits != 0;
        if ((bits & (bits - 1)) != 0)
            return true;
    }
    return words > 1;
}

/* The longest PDU for this value: more room is not waited for, or a peer that does not acknowledge would delay the
 * short values of others. */
static size_t most_of(const struct ys_host *host, const struct ys_connection *connection, uint16_t handle)
{
    size_t most = 3u + host->table->attributes[handle - 1].size;
    return most < connection->mtu ? most : connection->mtu;
}

/* Sends pending values: one, or several in one PDU where the client supports that; false if nothing is pending or there
 * is no room. */
bool ys_notify_run(struct ys_host *host, struct ys_connection *connection)
{
    if (!ys_notify_may(host, connection))
        return false;
    if ((connection->features & FEATURE_MULTIPLE_NOTIFICATIONS) != 0 && host->receipts == NULL &&
        has_several(host, connection) && ys_l2cap_fits(host, connection, connection->mtu) &&
        send_several(host, connection))
        return true;
    for (uint16_t i = 0; i < host->table->notifiable_count; i++) {
        if (connection->pending.words[i / 32] == 0) {
            i |= 31; /* a whole word of which there is nothing to do */
            continue;
        }
        bool indicate = ys_bit_get(&connection->indications, i);
        if (!is_due(host, connection, i) || (indicate && connection->indicating))
            continue;
        uint16_t handle = host->table->notifiables[i].handle;
        if (!ys_l2cap_fits(host, connection, most_of(host, connection, handle)))
            return false;
        ys_bit_set(&connection->pending, i, false);
        send_value(host, connection, handle, indicate);
        return true;
    }
    return false;
}

/* Vol 3 Part F 3.4.7.2, 3.4.7.3. */
void ys_notify_confirmed(const struct ys_host *host, struct ys_connection *connection)
{
    if (connection->indicating && (connection->awareness != AWARE || connection->remembered != 0))
        ys_caching_confirmed(host, connection);
    connection->indicating = false;
}

uint16_t ys_notify_mark(const struct ys_connection *connection)
{
    return (uint16_t)(connection->packets_back + connection->packets_out);
}

bool ys_notify_has_arrived(const struct ys_connection *connection, uint16_t handle, bool indicated, uint16_t mark)
{
    if (indicated)
        return !connection->silent && !(connection->indicating && connection->indicated == handle);
    return (uint16_t)(connection->packets_back - mark) < 0x8000;
}

/* Vol 3 Part F 3.3.3: after 30 s without a confirmation nothing more may be sent on this bearer, so it ends. */
void ys_notify_check(struct ys_host *host, struct ys_connection *connection, uint32_t now_ms)
{
    if (ys_until_ms(now_ms, connection->indication_deadline_ms) > 0)
        return;
    connection->indicating = false;
    connection->silent = true;
    ys_host_log(host, "a client did not confirm an indication; ends its connection", connection->handle);
    (void)ys_disconnect(host, connection->handle);
}
