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

uint32_t ys_ring_after(const struct ys_stream *stream, uint32_t at, uint32_t length)
{
    at += length;
    return at >= stream->size ? at - stream->size : at;
}

/* How many bytes of those that are wanted lie before the end of the memory; the rest lies at its beginning. */
static uint32_t until_end(const struct ys_stream *stream, uint32_t at, uint32_t length)
{
    return stream->size - at < length ? stream->size - at : length;
}

uint32_t ys_ring_write(struct ys_stream *stream, uint32_t at, const void *bytes, uint32_t length)
{
    uint32_t first = until_end(stream, at, length);
    memcpy(stream->bytes + at, bytes, first);
    memcpy(stream->bytes, (const uint8_t *)bytes + first, length - first);
    return ys_ring_after(stream, at, length);
}

uint32_t ys_ring_read(const struct ys_stream *stream, uint32_t at, struct ys_writer *writer, uint32_t length)
{
    uint32_t first = until_end(stream, at, length);
    ys_put_bytes(writer, stream->bytes + at, first);
    ys_put_bytes(writer, stream->bytes, length - first);
    return ys_ring_after(stream, at, length);
}

bool ys_stream_append(struct ys_stream *stream, const void *bytes, uint32_t length)
{
    if (stream->size == 0) /* it is not open */
        return false;
    if (length > ys_stream_room(stream)) {
        YS_STORE(stream->refused, YS_LOAD(stream->refused) + length);
        return false;
    }
    if (length > 0)
        YS_STORE(stream->head, ys_ring_write(stream, YS_LOAD(stream->head), bytes, length));
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
    YS_STORE(stream->tail, ys_ring_read(stream, stream->tail, writer, length));
}
