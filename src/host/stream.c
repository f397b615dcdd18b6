/* Streams: a ring between one writer and the host, which needs no lock: the writer alone moves the head, the host alone
 * the tail, and each moves its own only after the bytes are written or read. */
#include <yarnswift/stream.h>

#include <string.h>

#include "host/internal.h"

enum ys_result ys_stream_open(struct ys_host *host, struct ys_stream *stream, uint16_t handle, void *memory,
                              uint32_t size)
{
    YS_NOT_IN_INTERRUPT(host, "ys_stream_open");
    if (stream == NULL || memory == NULL || size < 2 || ys_notifiable_of(host, handle) == YS_NONE)
        return YS_ERROR_ARGUMENT;
    for (const struct ys_stream *other = host->streams; other != NULL; other = other->next) {
        if (other == stream)
            return YS_OK;
    }
    *stream = (struct ys_stream){.bytes = memory, .size = size, .handle = handle, .host = host, .next = host->streams};
    host->streams = stream;
    return YS_OK;
}

static uint32_t used(const struct ys_stream *stream, uint32_t head, uint32_t tail)
{
    return head >= tail ? head - tail : stream->size - tail + head;
}

uint32_t ys_stream_room(const struct ys_stream *stream)
{
    return stream->size - 1 - used(stream, YS_LOAD(stream->head), YS_LOAD(stream->tail));
}

uint32_t ys_stream_refused(const struct ys_stream *stream)
{
    return YS_LOAD(stream->refused);
}

bool ys_stream_append(struct ys_stream *stream, const void *bytes, uint32_t length)
{
    uint32_t head = YS_LOAD(stream->head);
    uint32_t first = stream->size - head < length ? stream->size - head : length;
    if (stream->size == 0) /* it is not open */
        return false;
    if (length > ys_stream_room(stream)) {
        YS_STORE(stream->refused, YS_LOAD(stream->refused) + length);
        return false;
    }
    if (length > 0) {
        memcpy(stream->bytes + head, bytes, first);
        memcpy(stream->bytes, (const uint8_t *)bytes + first, length - first);
    }
    head += length;
    YS_STORE(stream->head, head >= stream->size ? head - stream->size : head);
    ys_wake(stream->host);
    return true;
}

struct ys_stream *ys_stream_at(const struct ys_host *host, uint16_t handle)
{
    struct ys_stream *stream = host->streams;
    while (stream != NULL && stream->handle != handle)
        stream = stream->next;
    return stream;
}

uint32_t ys_stream_waiting(const struct ys_stream *stream)
{
    return used(stream, YS_LOAD(stream->head), stream->tail);
}

void ys_stream_take(struct ys_stream *stream, struct ys_writer *writer, uint32_t length)
{
    uint32_t tail = stream->tail;
    uint32_t first = stream->size - tail < length ? stream->size - tail : length;
    ys_put_bytes(writer, stream->bytes + tail, first);
    ys_put_bytes(writer, stream->bytes, length - first);
    tail += length;
    YS_STORE(stream->tail, tail >= stream->size ? tail - stream->size : tail);
}

/* Part F 3.4.7.1: a notification with what waits, as much as fits. A packet that is not full is only sent if none is on
 * its way: else there is more to fill it with soon. */
static bool send_some(struct ys_host *host, struct ys_connection *connection, struct ys_stream *stream)
{
    uint32_t waiting = ys_stream_waiting(stream);
    uint32_t most = connection->mtu - 3u;
    if (waiting == 0 || (waiting < most && connection->packets_out > 0) ||
        !ys_l2cap_fits(host, connection, connection->mtu))
        return false;
    struct ys_writer writer = ys_l2cap_writer(&host->outgoing, connection->mtu);
    ys_put_att(&writer, &(struct ys_att_pdu){.opcode = YS_ATT_NOTIFICATION, .handle = stream->handle});
    ys_stream_take(stream, &writer, waiting < most ? waiting : most);
    ys_l2cap_seal(&host->outgoing, YS_L2CAP_ATT, ys_writer_stored(&writer));
    ys_l2cap_send(host, connection);
    return true;
}

bool ys_stream_run(struct ys_host *host, struct ys_connection *connection)
{
    for (struct ys_stream *stream = host->streams; stream != NULL; stream = stream->next) {
        if (connection->awareness == AWARE && !stream->by_channel &&
            ys_bit_get(&connection->notifications, ys_notifiable_of(host, stream->handle)) &&
            send_some(host, connection, stream))
            return true;
    }
    return false;
}
