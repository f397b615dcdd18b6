/* Streams that notify: packets in their rings go to every subscriber. */
#include "host/gatt/server/streams.h"

#include "host/core/bits.h"
#include "host/core/context.h"
#include "host/core/ring.h"
#include "host/gatt/server/caching.h"
#include "host/gatt/server/notifiables.h"
#include "host/l2cap/frames.h"
#include "wire/att.h"

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

/* Vol 3 Part F 3.4.7.1: a notification with what waits, of which there is some, as much as fits. A packet that is not
 * full is only sent if none is on its way: else there is more to fill it with soon. */
static bool send_some(struct ys_host *host, struct ys_connection *connection, struct ys_stream *stream)
{
    uint32_t waiting = ys_stream_waiting(stream);
    uint32_t most = connection->mtu < YS_ATT_VALUE_MAX + 3u ? connection->mtu - 3u : YS_ATT_VALUE_MAX;
    if ((waiting < most && connection->packets_out > 0) || !ys_l2cap_fits(host, connection, connection->mtu))
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
        if (ys_stream_waiting(stream) > 0 && connection->awareness == AWARE && !connection->silent &&
            !stream->elsewhere && ys_bit_get(&connection->notifications, ys_notifiable_of(host, stream->handle)) &&
            send_some(host, connection, stream))
            return true;
    }
    return false;
}
