/* Outboxes: each value lies in the ring after its length and a mark of what it waits for once it is under way.
 *
 *   put --(subscribed, the link has room)--> under way --(packets back, or confirmed)--> gone
 *    ^-------------------------(the connection has ended)----+ */
#include <yarnswift/outbox.h>

#include "host/core/bits.h"
#include "host/core/clock.h"
#include "host/core/connections.h"
#include "host/core/context.h"
#include "host/core/extras.h"
#include "host/core/hooks.h"
#include "host/core/ring.h"
#include "host/gatt/server/attributes.h"
#include "host/gatt/server/caching.h"
#include "host/gatt/server/notifiables.h"
#include "host/gatt/server/notify.h"
#include "host/l2cap/frames.h"
#include "wire/att.h"

/* What lies before each value. */
struct header {
    uint16_t length;
    uint16_t mark;
};

static uint32_t write_header(struct ys_stream *ring, uint32_t at, const struct header *header)
{
    uint8_t bytes[YS_OUTBOX_VALUE];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    ys_put_u16(&writer, header->length);
    ys_put_u16(&writer, header->mark);
    return ys_ring_write(ring, at, bytes, sizeof bytes);
}

static uint32_t read_header(const struct ys_stream *ring, uint32_t at, struct header *header)
{
    uint8_t bytes[YS_OUTBOX_VALUE];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    at = ys_ring_read(ring, at, &writer, sizeof bytes);
    struct ys_reader reader = ys_reader_of(bytes, sizeof bytes);
    *header = (struct header){.length = ys_get_u16(&reader), .mark = ys_get_u16(&reader)};
    return at;
}

static uint32_t after_value(const struct ys_stream *ring, uint32_t at)
{
    struct header header;
    at = read_header(ring, at, &header);
    return ys_ring_after(ring, at, header.length);
}

static void remove_first(struct ys_outbox *outbox)
{
    YS_STORE(outbox->ring.tail, after_value(&outbox->ring, outbox->ring.tail));
}

static bool is_under_way(const struct ys_outbox *outbox)
{
    return outbox->unsent != outbox->ring.tail;
}

/* The writer's side */

bool ys_outbox_put(struct ys_outbox *outbox, const void *value, uint32_t length)
{
    struct ys_stream *ring = &outbox->ring;
    if (ring->size == 0 || length > YS_ATT_VALUE_MAX)
        return false;
    if (YS_OUTBOX_VALUE + length > ys_stream_room(ring)) {
        YS_STORE(ring->refused, YS_LOAD(ring->refused) + 1);
        return false;
    }
    uint32_t at = write_header(ring, YS_LOAD(ring->head), &(struct header){.length = (uint16_t)length});
    if (length > 0)
        at = ys_ring_write(ring, at, value, length);
    YS_STORE(ring->head, at);
    ys_wake(ring->host);
    return true;
}

uint32_t ys_outbox_room(const struct ys_outbox *outbox, uint32_t length)
{
    return outbox->ring.size == 0 ? 0 : ys_stream_room(&outbox->ring) / (YS_OUTBOX_VALUE + length);
}

bool ys_outbox_is_empty(const struct ys_outbox *outbox)
{
    return YS_LOAD(outbox->ring.head) == YS_LOAD(outbox->ring.tail);
}

uint32_t ys_outbox_refused(const struct ys_outbox *outbox)
{
    return ys_stream_refused(&outbox->ring);
}

/* The host's side */

static struct ys_outbox *first_of(const struct ys_host *host)
{
    return (struct ys_outbox *)ys_extra_find(host, YS_EXTRA_OUTBOXES); /* its first member */
}

static void send_next(struct ys_host *host, struct ys_connection *connection, struct ys_outbox *outbox, bool indicate,
                      const struct header *header)
{
    struct ys_stream *ring = &outbox->ring;
    struct ys_writer writer = ys_l2cap_writer(&host->outgoing, connection->mtu);
    ys_put_att(&writer, &(struct ys_att_pdu){.opcode = indicate ? YS_ATT_INDICATION : YS_ATT_NOTIFICATION,
                                             .handle = ring->handle});
    uint32_t value_at = ys_ring_after(ring, outbox->unsent, YS_OUTBOX_VALUE);
    uint32_t after = ys_ring_read(ring, value_at, &writer, header->length);
    ys_l2cap_seal(&host->outgoing, YS_L2CAP_ATT, ys_writer_stored(&writer));
    ys_notify_send(host, connection, ring->handle, indicate);
    (void)write_header(ring, outbox->unsent,
                       &(struct header){.length = header->length, .mark = ys_notify_mark(connection)});
    outbox->unsent = after;
    outbox->connection = connection->handle;
    outbox->indicated = indicate;
}

/* Whether the next value could be sent, as far as its length goes. */
static bool is_short_enough(const struct ys_host *host, const struct ys_connection *connection,
                            struct ys_outbox *outbox, uint16_t length)
{
    bool too_long = 3u + length > connection->mtu; /* Vol 3 Part F 3.4.7.1 */
    if (too_long && !outbox->too_long)
        ys_host_log(host, "a value waits in its outbox for a larger MTU, its bytes", length);
    outbox->too_long = too_long;
    return !too_long;
}

/* Sends the next value to a subscriber, if those before it that are under way are on this connection, too. */
static bool send_from(struct ys_host *host, struct ys_connection *connection, struct ys_outbox *outbox)
{
    struct header header;
    uint16_t notifiable = ys_notifiable_of(host, outbox->ring.handle);
    bool indicate = ys_bit_get(&connection->indications, notifiable);
    bool begun = is_under_way(outbox);
    if (outbox->unsent == YS_LOAD(outbox->ring.head) || ys_configuration_of(connection, notifiable) == 0 ||
        (begun && (outbox->connection != connection->handle || outbox->indicated)) ||
        (indicate && (begun || connection->indicating)))
        return false;
    (void)read_header(&outbox->ring, outbox->unsent, &header);
    if (!is_short_enough(host, connection, outbox, header.length) ||
        !ys_l2cap_fits(host, connection, 3u + header.length))
        return false;
    send_next(host, connection, outbox, indicate, &header);
    return true;
}

static bool send_any(struct ys_host *host, struct ys_connection *connection)
{
    bool sent = false;
    for (struct ys_outbox *outbox = first_of(host); outbox != NULL; outbox = outbox->next) {
        if (connection->awareness == AWARE && ys_notify_may(host, connection))
            sent = send_from(host, connection, outbox) || sent;
    }
    return sent;
}

static bool has_arrived(const struct ys_outbox *outbox, const struct ys_connection *connection)
{
    struct header header;
    (void)read_header(&outbox->ring, outbox->ring.tail, &header);
    return ys_notify_has_arrived(connection, outbox->ring.handle, outbox->indicated, header.mark);
}

/* Takes out what has arrived. */
static uint32_t run(struct ys_host *host, uint32_t now_ms)
{
    (void)now_ms;
    for (struct ys_outbox *outbox = first_of(host); outbox != NULL; outbox = outbox->next) {
        const struct ys_connection *connection = ys_connection_find(host, outbox->connection);
        while (connection != NULL && is_under_way(outbox) && has_arrived(outbox, connection))
            remove_first(outbox);
    }
    return YS_FOREVER;
}

static void connection_ended(struct ys_host *host, struct ys_connection *connection,
                             const struct ys_hci_connection *made)
{
    for (struct ys_outbox *outbox = first_of(host); outbox != NULL; outbox = outbox->next) {
        if (made == NULL && outbox->connection == connection->handle)
            outbox->unsent = outbox->ring.tail;
    }
}

static bool is_open(const struct ys_host *host, const struct ys_outbox *outbox)
{
    const struct ys_outbox *other = first_of(host);
    while (other != NULL && other != outbox)
        other = other->next;
    return other != NULL;
}

/* Its ring is among the streams, too, for which a second subscriber is refused. */
enum ys_result ys_outbox_open(struct ys_host *host, struct ys_outbox *outbox, uint16_t handle, void *memory,
                              uint32_t size)
{
    static const struct ys_outboxes outboxes = {.send = send_any};
    static const struct ys_extra_calls calls = {.kind = YS_EXTRA_OUTBOXES, .run = run, .connection = connection_ended};
    YS_NOT_IN_INTERRUPT(host, "ys_outbox_open");
    if (outbox == NULL || memory == NULL || size < YS_OUTBOX_SIZE(1, 1) || ys_notifiable_of(host, handle) == YS_NONE)
        return YS_ERROR_ARGUMENT;
    if (is_open(host, outbox))
        return YS_OK;
    struct ys_outbox *first = first_of(host);
    *outbox = (struct ys_outbox){
        .ring = {
            .bytes = memory, .size = size, .handle = handle, .elsewhere = true, .host = host, .next = host->streams}};
    host->streams = &outbox->ring;
    host->outboxes = &outboxes;
    if (first == NULL) {
        ys_extra_add(host, &outbox->extra, &calls, 0);
    } else {
        outbox->next = first->next;
        first->next = outbox;
    }
    return YS_OK;
}
