/* Connection-oriented channels with credits: whole messages beside the attributes. channel_signals.c opens and ends
 * them, channel_packets.c carries what they carry. */
#include <string.h>
#include <yarnswift/channel.h>
#include <yarnswift/security.h>

#include "host/core/bits.h"
#include "host/core/clock.h"
#include "host/core/connections.h"
#include "host/core/context.h"
#include "host/core/extras.h"
#include "host/l2cap/channel_list.h"
#include "host/l2cap/channel_packets.h"
#include "host/l2cap/channel_signals.h"
#include "host/l2cap/frames.h"
#include "wire/l2cap.h"

static bool channel_frame(struct ys_host *host, const struct ys_frame *frame)
{
    if (frame->channel == YS_L2CAP_SIGNALLING)
        return ys_channel_signal(host, frame->connection, frame->pdu, frame->length);
    struct ys_channel *channel = ys_channel_find(host, frame->connection->handle, frame->channel);
    if (channel == NULL || channel->state == YS_CHANNEL_OPENING)
        return false;
    if (channel->state == YS_CHANNEL_OPEN)
        ys_channel_packet(host, channel, frame->pdu, frame->length);
    return true;
}

/* Nothing has come back: an end is an end all the same (Vol 3 Part A 6.2.1). */
static void give_up(struct ys_host *host, struct ys_channel *channel)
{
    bool closes = channel->state == YS_CHANNEL_CLOSING;
    ys_channel_end(host, channel, closes ? YS_EVENT_CHANNEL_CLOSED : YS_EVENT_CHANNEL_REFUSED, YS_CHANNEL_NO_ANSWER);
}

/* A channel that waits for an answer, and has said all that it had to. */
static bool is_waiting(const struct ys_channel *channel)
{
    return (channel->state == YS_CHANNEL_OPENING || channel->state == YS_CHANNEL_CLOSING) && channel->due == 0;
}

/* Events may have the firmware take any channel out of the list: it is gone over again from its beginning then. */
static uint32_t run_channels(struct ys_host *host, uint32_t now_ms)
{
    struct ys_channels *channels = ys_channels_of(host);
    uint32_t wait_ms = YS_FOREVER;
    bool more = false;
    channels->yields = !channels->yields;
    for (struct ys_channel *channel = channels->first; channel != NULL;) {
        struct ys_connection *connection = ys_connection_find(host, channel->connection);
        channels->shorter = false;
        if (connection != NULL && channel->state >= YS_CHANNEL_OPENING)
            more = ys_channel_run(host, connection, channel, channels->yields) || more;
        if (connection != NULL && !channels->shorter && is_waiting(channel)) {
            uint32_t left_ms = ys_until_ms(now_ms, channel->until_ms);
            wait_ms = left_ms < wait_ms ? left_ms : wait_ms;
            if (left_ms == 0)
                give_up(host, channel);
        }
        channel = channels->shorter ? channels->first : channel->next;
    }
    struct ys_connection *connection = NULL;
    while ((connection = ys_connection_next(host, connection)) != NULL)
        ys_channel_send_refusals(host, channels, connection);
    return more ? 0 : wait_ms;
}

static void channel_connection(struct ys_host *host, struct ys_connection *connection,
                               const struct ys_hci_connection *made)
{
    struct ys_channels *channels = ys_channels_of(host);
    if (made != NULL)
        return;
    if (channels->refused_connection == connection->handle)
        channels->refused_identifier = channels->gone_identifier = 0;
    for (struct ys_channel *channel = channels->first; channel != NULL;) {
        bool ends = channel->state >= YS_CHANNEL_OPENING && channel->connection == connection->handle;
        if (ends)
            ys_channel_end(host, channel, YS_EVENT_CHANNEL_CLOSED, 0);
        channel = ends ? channels->first : channel->next;
    }
}

static const struct ys_extra_calls channels_extra = {
    .kind = YS_EXTRA_CHANNELS,
    .receive = channel_frame,
    .run = run_channels,
    .connection = channel_connection,
};

/* calls */

void ys_host_use_channels(struct ys_host *host, struct ys_channels *channels)
{
    memset(channels, 0, sizeof *channels);
    ys_extra_add(host, &channels->extra, &channels_extra, 0);
}

/* Makes a channel known. */
static enum ys_result take_channel(struct ys_host *host, struct ys_channel *channel,
                                   const struct ys_channel_settings *settings)
{
    struct ys_channels *channels = ys_channels_of(host);
    if (channels == NULL)
        return YS_ERROR_UNSUPPORTED;
    if (channel == NULL || settings == NULL || !ys_in_range(settings->spsm, 1, 0xff) || settings->memory == NULL ||
        settings->size < SIZE_LEAST ||
        (settings->packet != 0 && !ys_in_range(settings->packet, SIZE_LEAST, PACKET_MOST)) ||
        settings->level > YS_LEVEL_SECURE_CONNECTIONS)
        return YS_ERROR_ARGUMENT;
    if (channel->state != YS_CHANNEL_CLOSED)
        return YS_ERROR_BUSY;
    struct ys_stream *stream = channel->stream;
    *channel = (struct ys_channel){.settings = *settings, .stream = stream, .next = channels->first};
    channels->first = channel;
    return YS_OK;
}

enum ys_result ys_channel_wait(struct ys_host *host, struct ys_channel *channel,
                               const struct ys_channel_settings *settings)
{
    YS_NOT_IN_INTERRUPT(host, "ys_channel_wait");
    enum ys_result result = take_channel(host, channel, settings);
    if (result != YS_OK)
        return result;
    channel->state = YS_CHANNEL_WAITING;
    channel->waits = true;
    return YS_OK;
}

enum ys_result ys_channel_open(struct ys_host *host, struct ys_channel *channel, uint16_t connection,
                               const struct ys_channel_settings *settings)
{
    YS_NOT_IN_INTERRUPT(host, "ys_channel_open");
    if (ys_connection_find(host, connection) == NULL)
        return YS_ERROR_NO_CONNECTION;
    uint16_t id = ys_channels_of(host) != NULL ? ys_channel_free_id(host, connection) : YS_L2CAP_DYNAMIC_FIRST;
    if (id == 0)
        return YS_ERROR_NO_ROOM;
    enum ys_result result = take_channel(host, channel, settings);
    if (result != YS_OK)
        return result;
    channel->state = YS_CHANNEL_OPENING;
    channel->connection = connection;
    channel->own_id = id;
    channel->due = DUE_REQUEST;
    ys_wake(host);
    return YS_OK;
}

enum ys_result ys_channel_send(struct ys_host *host, struct ys_channel *channel, const void *bytes, uint16_t length)
{
    YS_NOT_IN_INTERRUPT(host, "ys_channel_send");
    if (channel == NULL || channel->state != YS_CHANNEL_OPEN)
        return YS_ERROR_NO_CONNECTION;
    if (bytes == NULL || length == 0 || length > channel->peer_size)
        return YS_ERROR_ARGUMENT;
    if (channel->sending_length != 0 || channel->stream != NULL)
        return YS_ERROR_BUSY;
    channel->sending = bytes;
    channel->sending_length = length;
    channel->sent = 0;
    ys_wake(host);
    return YS_OK;
}

enum ys_result ys_channel_stream(struct ys_channel *channel, struct ys_stream *stream)
{
    if (channel == NULL || (stream != NULL && stream->size == 0))
        return YS_ERROR_ARGUMENT;
    if (channel->stream != NULL)
        channel->stream->elsewhere = false;
    if (stream != NULL)
        stream->elsewhere = true;
    channel->stream = stream;
    return YS_OK;
}

enum ys_result ys_channel_close(struct ys_host *host, struct ys_channel *channel)
{
    YS_NOT_IN_INTERRUPT(host, "ys_channel_close");
    if (channel == NULL || channel->state == YS_CHANNEL_CLOSED)
        return YS_ERROR_ARGUMENT;
    channel->waits = false;
    if (channel->state == YS_CHANNEL_WAITING || channel->state == YS_CHANNEL_OPENING)
        ys_channel_end(host, channel, YS_EVENT_CHANNEL_CLOSED, 0);
    else if (channel->state == YS_CHANNEL_OPEN)
        ys_channel_break_off(channel);
    ys_wake(host);
    return YS_OK;
}
