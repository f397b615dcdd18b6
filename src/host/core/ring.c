/* Streams: a ring between one writer and the host, which needs no lock: the writer alone moves the head, the host alone
 * the tail, and each moves its own only after the bytes are written or read. */
#include "host/core/ring.h"

#include <string.h>

#include "host/core/bits.h"
#include "host/core/clock.h"

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
