/* Packets of channels: a message is cut into them, each needs a credit (Core 5.4 Vol 3 Part A 3.4, 10.1). */
#include "host/l2cap/channel_packets.h"

#include <string.h>

#include "host/core/events.h"
#include "host/core/ring.h"
#include "host/l2cap/channel_list.h"
#include "host/l2cap/channel_signals.h"
#include "host/l2cap/frames.h"

/* Vol 3 Part A 3.4. */
void ys_channel_packet(struct ys_host *host, struct ys_channel *channel, const uint8_t *pdu, size_t length)
{
    struct ys_reader reader = ys_reader_of(pdu, length);
    bool first = channel->expected == 0;
    if (channel->lent == 0 || length > ys_channel_packet_size(channel)) {
        ys_channel_break_off(channel);
        return;
    }
    channel->lent--;
    if (first)
        channel->expected = ys_get_u16(&reader);
    size_t part = ys_reader_left(&reader);
    if (!ys_reader_ok(&reader) || channel->expected > channel->settings.size || (first && channel->expected == 0) ||
        part > (size_t)channel->expected - channel->received) {
        ys_channel_break_off(channel);
        return;
    }
    memcpy((uint8_t *)channel->settings.memory + channel->received, ys_get_bytes(&reader, part), part);
    channel->received = (uint16_t)(channel->received + part);
    if (2u * channel->lent <= ys_channel_lends(channel))
        channel->due |= DUE_CREDITS;
    if (channel->received < channel->expected)
        return;
    channel->expected = 0;
    ys_emit(host, &(struct ys_event){
                      .kind = YS_EVENT_CHANNEL_RECEIVED,
                      .connection = channel->connection,
                      .u.channel = {.channel = channel, .length = channel->received, .bytes = channel->settings.memory},
                  });
    channel->received = 0;
}

/* A message of a stream begins: as long as there are bytes, but a short one only if nothing is on its way (Vol 3 Part
 * A 10.1). */
static void take_stream(const struct ys_connection *connection, struct ys_channel *channel)
{
    uint32_t waiting = ys_stream_waiting(channel->stream);
    uint16_t packet = channel->peer_packet < PACKET_MOST ? channel->peer_packet : PACKET_MOST;
    uint32_t length = waiting < channel->peer_size ? waiting : channel->peer_size;
    if (length > 0 && (length + LENGTH_FIELD >= packet || connection->packets_out == 0)) {
        channel->sending_length = (uint16_t)length;
        channel->sent = 0;
    }
}

/* Whether a packet could be sent now, and how much of the message it would carry. */
static uint16_t sendable(const struct ys_host *host, const struct ys_connection *connection,
                         const struct ys_channel *channel)
{
    uint16_t packet = channel->peer_packet < PACKET_MOST ? channel->peer_packet : PACKET_MOST;
    uint16_t room = channel->sent == 0 ? (uint16_t)(packet - LENGTH_FIELD) : packet;
    uint16_t left = (uint16_t)(channel->sending_length - channel->sent);
    if (channel->state != YS_CHANNEL_OPEN || (channel->due & DUE_RESPONSE) != 0 || left == 0 || channel->credits == 0 ||
        !ys_l2cap_fits(host, connection, packet))
        return 0;
    return left < room ? left : room;
}

/* Vol 3 Part A 3.4, 10.1. */
static void send_packet(struct ys_host *host, struct ys_connection *connection, struct ys_channel *channel,
                        uint16_t part)
{
    struct ys_writer writer = ys_l2cap_writer(&host->outgoing, PACKET_MOST);
    if (channel->sent == 0)
        ys_put_u16(&writer, channel->sending_length);
    if (channel->sending != NULL)
        ys_put_bytes(&writer, channel->sending + channel->sent, part);
    else
        ys_stream_take(channel->stream, &writer, part);
    channel->sent = (uint16_t)(channel->sent + part);
    channel->credits--;
    ys_l2cap_seal(&host->outgoing, channel->peer_id, ys_writer_stored(&writer));
    ys_l2cap_send(host, connection);
    if (channel->sent < channel->sending_length)
        return;
    bool message = channel->sending != NULL;
    ys_channel_forget_message(channel);
    if (message)
        ys_channel_tell(host, YS_EVENT_CHANNEL_SENT, channel, 0);
}

/* Sends what a channel has, unless it is the attributes' turn; whether there is more that could be sent now. */
bool ys_channel_run(struct ys_host *host, struct ys_connection *connection, struct ys_channel *channel, bool yields)
{
    uint16_t part;
    if (connection->response.length > 0 && connection->response.sent > 0)
        return false; /* no other PDU may come between the pieces of one */
    while (channel->due != 0 && channel->state >= YS_CHANNEL_OPENING &&
           ys_channel_send_due(host, connection, channel)) {
    }
    do {
        if (channel->state == YS_CHANNEL_OPEN && channel->stream != NULL && channel->sending_length == 0)
            take_stream(connection, channel);
        part = sendable(host, connection, channel);
        if (part > 0 && !yields)
            send_packet(host, connection, channel, part);
    } while (part > 0 && !yields);
    return part > 0;
}
