/* Connection-oriented channels with credits. A message is cut into packets, the first of which says how long it is;
 * each packet needs a credit that the other side has lent. What waits to be signalled is a bit in its channel. */
#include <yarnswift/channel.h>

#include <string.h>

#include <yarnswift/security.h>

#include "host/core/bits.h"
#include "host/core/clock.h"
#include "host/core/connections.h"
#include "host/core/context.h"
#include "host/core/events.h"
#include "host/core/extras.h"
#include "host/core/ring.h"
#include "host/l2cap/frames.h"

enum due { DUE_REQUEST = 1, DUE_RESPONSE = 2, DUE_CREDITS = 4, DUE_END = 8, DUE_ENDED = 16 };

#define CREDITS_USUAL 10
#define CREDITS_MOST  0xffff
#define SIZE_LEAST    23 /* of messages and packets (4.22) */
#define LENGTH_FIELD  2  /* before a message, in its first packet (3.4.3) */

/* The longest packet, as the host's memory for PDUs allows. */
#define PACKET_MOST YS_MTU

static const struct ys_extra_calls calls;

static struct ys_channels *channels_of(const struct ys_host *host)
{
    return (struct ys_channels *)ys_extra_find(host, &calls);
}

static void tell(struct ys_host *host, enum ys_event_kind kind, struct ys_channel *channel, uint8_t reason)
{
    ys_emit(host,
            &(struct ys_event){
                .kind = kind, .connection = channel->connection, .reason = reason, .u.channel = {.channel = channel}});
}

static uint8_t lent_at_once(const struct ys_channel *channel)
{
    return channel->settings.credits != 0 ? channel->settings.credits : CREDITS_USUAL;
}

static uint16_t packet_size(const struct ys_channel *channel)
{
    uint16_t packet = channel->settings.packet != 0 ? channel->settings.packet : YS_MTU_PREFERRED;
    return channel->settings.packet != 0 || packet < channel->settings.size ? packet : channel->settings.size;
}

static void forget_message(struct ys_channel *channel)
{
    channel->sending = NULL;
    channel->sending_length = 0;
    channel->sent = 0;
}

/* finding */

static struct ys_channel *find(const struct ys_host *host, uint16_t connection, uint16_t own_id)
{
    struct ys_channel *channel = channels_of(host)->first;
    while (channel != NULL &&
           (channel->connection != connection || channel->own_id != own_id || channel->state < YS_CHANNEL_OPENING))
        channel = channel->next;
    return channel;
}

static struct ys_channel *find_by_identifier(const struct ys_host *host, uint16_t connection, uint8_t identifier)
{
    struct ys_channel *channel = channels_of(host)->first;
    while (channel != NULL && (channel->connection != connection || channel->identifier != identifier ||
                               (channel->state != YS_CHANNEL_OPENING && channel->state != YS_CHANNEL_CLOSING)))
        channel = channel->next;
    return channel;
}

static bool has_peer_id(const struct ys_host *host, uint16_t connection, uint16_t id)
{
    const struct ys_channel *channel = channels_of(host)->first;
    while (channel != NULL &&
           (channel->connection != connection || channel->peer_id != id || channel->state != YS_CHANNEL_OPEN))
        channel = channel->next;
    return channel != NULL;
}

/* 0: none is free. */
static uint16_t free_id(const struct ys_host *host, uint16_t connection)
{
    for (uint16_t id = YS_L2CAP_DYNAMIC_FIRST; id <= YS_L2CAP_DYNAMIC_LAST; id++) {
        if (find(host, connection, id) == NULL)
            return id;
    }
    return 0;
}

static void unlink_channel(struct ys_host *host, const struct ys_channel *channel)
{
    struct ys_channel **link = &channels_of(host)->first;
    while (*link != NULL && *link != channel)
        link = &(*link)->next;
    if (*link != NULL)
        *link = channel->next;
}

/* It is over: one that waited waits again, unless it is to be closed. */
static void end(struct ys_host *host, struct ys_channel *channel, enum ys_event_kind kind, uint8_t reason)
{
    channel->state = channel->waits ? YS_CHANNEL_WAITING : YS_CHANNEL_CLOSED;
    channel->due = 0;
    forget_message(channel);
    if (!channel->waits)
        unlink_channel(host, channel);
    tell(host, kind, channel, reason);
}

/* signalling */

static uint8_t next_identifier(struct ys_channels *channels)
{
    /* apart from those of link.c, which count from 1 */
    channels->last_identifier = channels->last_identifier < 0x80 ? 0x80 : channels->last_identifier;
    channels->last_identifier = channels->last_identifier < UINT8_MAX ? (uint8_t)(channels->last_identifier + 1) : 0x80;
    return channels->last_identifier;
}

static bool send_signal(struct ys_host *host, struct ys_connection *connection, uint8_t code, uint8_t identifier,
                        const uint16_t *fields, uint8_t count)
{
    if (!ys_l2cap_fits(host, connection, YS_L2CAP_SIGNAL_MAX))
        return false;
    struct ys_writer writer = ys_l2cap_writer(&host->outgoing, YS_L2CAP_SIGNAL_MAX);
    ys_put_l2cap_signal(
        &writer, &(struct ys_l2cap_signal){.code = code, .identifier = identifier, .length = (uint16_t)(2u * count)});
    for (uint8_t i = 0; i < count; i++)
        ys_put_u16(&writer, fields[i]);
    ys_l2cap_seal(&host->outgoing, YS_L2CAP_SIGNALLING, ys_writer_stored(&writer));
    ys_l2cap_send(host, connection);
    return true;
}

/* What a channel has to say, the first thing first; false if there is no room. */
static bool send_due(struct ys_host *host, struct ys_connection *connection, struct ys_channel *channel)
{
    const uint16_t credits = lent_at_once(channel);
    const uint16_t more = (uint16_t)(credits - channel->lent);
    const uint16_t request[] = {channel->settings.spsm, channel->own_id, channel->settings.size, packet_size(channel),
                                credits};
    const uint16_t response[] = {channel->own_id, channel->settings.size, packet_size(channel), credits, 0};
    const uint16_t lend[] = {channel->own_id, more};
    const uint16_t ends[] = {channel->peer_id, channel->own_id};
    const uint16_t ended[] = {channel->own_id, channel->peer_id};
    uint8_t due = (uint8_t)(channel->due & -channel->due);
    bool good = false;
    if (due == DUE_REQUEST || due == DUE_CREDITS || due == DUE_END)
        channel->identifier = next_identifier(channels_of(host));
    if (due == DUE_REQUEST)
        good = send_signal(host, connection, YS_L2CAP_CREDIT_CONNECTION_REQ, channel->identifier, request, 5);
    else if (due == DUE_RESPONSE)
        good = send_signal(host, connection, YS_L2CAP_CREDIT_CONNECTION_RSP, channel->identifier, response, 5);
    else if (due == DUE_CREDITS)
        good = send_signal(host, connection, YS_L2CAP_CREDITS, channel->identifier, lend, 2);
    else if (due == DUE_END)
        good = send_signal(host, connection, YS_L2CAP_DISCONNECTION_REQ, channel->identifier, ends, 2);
    else
        good = send_signal(host, connection, YS_L2CAP_DISCONNECTION_RSP, channel->identifier, ended, 2);
    if (!good)
        return false;
    channel->due = (uint8_t)(channel->due & ~due);
    if (due == DUE_REQUEST || due == DUE_RESPONSE)
        channel->lent = credits;
    else if (due == DUE_CREDITS)
        channel->lent = (uint16_t)(channel->lent + more);
    if (due == DUE_RESPONSE)
        tell(host, YS_EVENT_CHANNEL_OPENED, channel, 0);
    if (due == DUE_ENDED)
        end(host, channel, YS_EVENT_CHANNEL_CLOSED, 0);
    return true;
}

/* What belongs to no channel. */
static void send_refusals(struct ys_host *host, struct ys_channels *channels, struct ys_connection *connection)
{
    const uint16_t refusal[] = {0, 0, 0, 0, channels->refused_result};
    if (channels->refused_identifier != 0 && channels->refused_connection == connection->handle &&
        send_signal(host, connection, YS_L2CAP_CREDIT_CONNECTION_RSP, channels->refused_identifier, refusal, 5))
        channels->refused_identifier = 0;
    if (channels->gone_identifier != 0 && channels->refused_connection == connection->handle &&
        send_signal(host, connection, YS_L2CAP_DISCONNECTION_RSP, channels->gone_identifier, channels->gone_ids, 2))
        channels->gone_identifier = 0;
}

/* The right that is missing for a channel that waits; 0 if none is. */
static uint8_t missing(const struct ys_host *host, const struct ys_connection *connection, uint8_t level)
{
    const struct ys_link_security *security = &connection->security;
    if (level <= YS_LEVEL_OPEN)
        return 0;
    if (security->key_size == 0)
        return security->has_key ? YS_CHANNEL_ENCRYPTION : YS_CHANNEL_AUTHENTICATION;
    if ((level >= YS_LEVEL_AUTHENTICATED && !security->authenticated) ||
        (level == YS_LEVEL_SECURE_CONNECTIONS && !security->secure_connections))
        return YS_CHANNEL_AUTHENTICATION;
    uint8_t least = level == YS_LEVEL_SECURE_CONNECTIONS ? YS_LEVEL_4_KEY_SIZE : host->table->key_size;
    return security->key_size < least ? YS_CHANNEL_KEY_SIZE : 0;
}

static void request_in(struct ys_host *host, struct ys_connection *connection, uint8_t identifier,
                       const uint16_t *fields)
{
    struct ys_channels *channels = channels_of(host);
    struct ys_channel *channel = channels->first;
    uint16_t own_id = free_id(host, connection->handle);
    uint8_t result = 0;
    while (channel != NULL && (channel->state != YS_CHANNEL_WAITING || channel->settings.spsm != fields[0]))
        channel = channel->next;
    if (channel == NULL)
        result = YS_CHANNEL_NO_SERVICE;
    else if (fields[1] < YS_L2CAP_DYNAMIC_FIRST || fields[1] > YS_L2CAP_DYNAMIC_LAST)
        result = YS_CHANNEL_INVALID_SOURCE;
    else if (has_peer_id(host, connection->handle, fields[1]))
        result = YS_CHANNEL_SOURCE_TAKEN;
    else if (fields[2] < SIZE_LEAST || fields[3] < SIZE_LEAST)
        result = YS_CHANNEL_PARAMETERS;
    else if (own_id == 0)
        result = YS_CHANNEL_NO_RESOURCES;
    else
        result = missing(host, connection, channel->settings.level);
    if (result != 0) {
        channels->refused_connection = connection->handle;
        channels->refused_identifier = identifier;
        channels->refused_result = result;
        return;
    }
    channel->state = YS_CHANNEL_OPEN;
    channel->connection = connection->handle;
    channel->own_id = own_id;
    channel->peer_id = fields[1];
    channel->peer_size = fields[2];
    channel->peer_packet = fields[3];
    channel->credits = fields[4];
    channel->received = channel->expected = 0;
    channel->identifier = identifier;
    channel->due = DUE_RESPONSE;
}

static void response_in(struct ys_host *host, struct ys_channel *channel, const uint16_t *fields)
{
    if (channel->state != YS_CHANNEL_OPENING)
        return;
    bool valid = fields[0] >= YS_L2CAP_DYNAMIC_FIRST && fields[0] <= YS_L2CAP_DYNAMIC_LAST && fields[1] >= SIZE_LEAST &&
                 fields[2] >= SIZE_LEAST && !has_peer_id(host, channel->connection, fields[0]);
    if (fields[4] != 0 || !valid) {
        end(host, channel, YS_EVENT_CHANNEL_REFUSED, fields[4] != 0 ? (uint8_t)fields[4] : YS_CHANNEL_PARAMETERS);
        return;
    }
    channel->state = YS_CHANNEL_OPEN;
    channel->peer_id = fields[0];
    channel->peer_size = fields[1];
    channel->peer_packet = fields[2];
    channel->credits = fields[3];
    tell(host, YS_EVENT_CHANNEL_OPENED, channel, 0);
}

/* The other side breaks the rules: 3.4 and 10.1 have the channel ended. */
static void break_off(struct ys_channel *channel)
{
    channel->state = YS_CHANNEL_CLOSING;
    channel->due |= DUE_END;
    forget_message(channel);
}

static void credits_in(struct ys_host *host, uint16_t connection, const uint16_t *fields)
{
    struct ys_channel *channel = channels_of(host)->first;
    while (channel != NULL &&
           (channel->connection != connection || channel->peer_id != fields[0] || channel->state != YS_CHANNEL_OPEN))
        channel = channel->next;
    if (channel == NULL)
        return;
    if (fields[1] == 0 || fields[1] > CREDITS_MOST - channel->credits)
        break_off(channel);
    else
        channel->credits = (uint16_t)(channel->credits + fields[1]);
}

static void end_in(struct ys_host *host, uint16_t connection, uint8_t identifier, const uint16_t *fields)
{
    struct ys_channels *channels = channels_of(host);
    struct ys_channel *channel = find(host, connection, fields[0]);
    if (channel != NULL && channel->peer_id == fields[1]) {
        channel->identifier = identifier;
        channel->due = DUE_ENDED;
        return;
    }
    channels->refused_connection = connection; /* it has ended for both */
    channels->gone_identifier = identifier;
    channels->gone_ids[0] = fields[0];
    channels->gone_ids[1] = fields[1];
}

static uint8_t fields_of(uint8_t code)
{
    switch (code) {
    case YS_L2CAP_CREDIT_CONNECTION_REQ:
    case YS_L2CAP_CREDIT_CONNECTION_RSP:
        return 5;
    case YS_L2CAP_CREDITS:
    case YS_L2CAP_DISCONNECTION_REQ:
    case YS_L2CAP_DISCONNECTION_RSP:
        return 2;
    case YS_L2CAP_COMMAND_REJECT:
        return 1;
    default:
        return 0;
    }
}

static bool signal_in(struct ys_host *host, struct ys_connection *connection, const uint8_t *pdu, size_t length)
{
    struct ys_reader reader = ys_reader_of(pdu, length);
    struct ys_l2cap_signal signal;
    uint16_t fields[5] = {0};
    ys_get_l2cap_signal(&reader, &signal);
    uint8_t count = fields_of(signal.code);
    for (uint8_t i = 0; i < count; i++)
        fields[i] = ys_get_u16(&reader);
    if (!ys_reader_ok(&reader) || count == 0 || signal.identifier == 0)
        return false;
    struct ys_channel *asked = find_by_identifier(host, connection->handle, signal.identifier);
    switch (signal.code) {
    case YS_L2CAP_CREDIT_CONNECTION_REQ:
        request_in(host, connection, signal.identifier, fields);
        return true;
    case YS_L2CAP_CREDIT_CONNECTION_RSP:
        if (asked != NULL)
            response_in(host, asked, fields);
        return true;
    case YS_L2CAP_CREDITS:
        credits_in(host, connection->handle, fields);
        return true;
    case YS_L2CAP_DISCONNECTION_REQ:
        end_in(host, connection->handle, signal.identifier, fields);
        return true;
    case YS_L2CAP_DISCONNECTION_RSP:
        if (asked != NULL && asked->state == YS_CHANNEL_CLOSING)
            end(host, asked, YS_EVENT_CHANNEL_CLOSED, 0);
        return true;
    default:
        if (asked == NULL)
            return false;
        end(host, asked, asked->state == YS_CHANNEL_CLOSING ? YS_EVENT_CHANNEL_CLOSED : YS_EVENT_CHANNEL_REFUSED,
            YS_CHANNEL_NOT_UNDERSTOOD);
        return true;
    }
}

/* packets */

static void packet_in(struct ys_host *host, struct ys_channel *channel, const uint8_t *pdu, size_t length)
{
    struct ys_reader reader = ys_reader_of(pdu, length);
    bool first = channel->expected == 0;
    if (channel->lent == 0 || length > packet_size(channel)) {
        break_off(channel);
        return;
    }
    channel->lent--;
    if (first)
        channel->expected = ys_get_u16(&reader);
    size_t part = ys_reader_left(&reader);
    if (!ys_reader_ok(&reader) || channel->expected > channel->settings.size || (first && channel->expected == 0) ||
        part > (size_t)channel->expected - channel->received) {
        break_off(channel);
        return;
    }
    memcpy((uint8_t *)channel->settings.memory + channel->received, ys_get_bytes(&reader, part), part);
    channel->received = (uint16_t)(channel->received + part);
    if (2u * channel->lent <= lent_at_once(channel))
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

static bool frame_in(struct ys_host *host, struct ys_connection *connection, uint16_t channel_id, const uint8_t *pdu,
                     size_t length)
{
    if (channel_id == YS_L2CAP_SIGNALLING)
        return signal_in(host, connection, pdu, length);
    struct ys_channel *channel = find(host, connection->handle, channel_id);
    if (channel == NULL || channel->state == YS_CHANNEL_OPENING)
        return false;
    if (channel->state == YS_CHANNEL_OPEN)
        packet_in(host, channel, pdu, length);
    return true;
}

/* A message of a stream begins: as long as there are bytes, but a short one only if nothing is on its way. */
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
    forget_message(channel);
    if (message)
        tell(host, YS_EVENT_CHANNEL_SENT, channel, 0);
}

/* Sends what a channel has, unless it is the attributes' turn; whether there is more that could be sent now. */
static bool run_channel(struct ys_host *host, struct ys_connection *connection, struct ys_channel *channel, bool yields)
{
    uint16_t part;
    if (connection->response.length > 0 && connection->response.sent > 0)
        return false; /* no other PDU may come between the pieces of one */
    while (channel->due != 0 && channel->state >= YS_CHANNEL_OPENING && send_due(host, connection, channel)) {
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

static uint32_t run(struct ys_host *host, uint32_t now_ms)
{
    struct ys_channels *channels = channels_of(host);
    struct ys_channel *next;
    bool more = false;
    (void)now_ms;
    channels->yields = !channels->yields;
    for (struct ys_channel *channel = channels->first; channel != NULL; channel = next) {
        struct ys_connection *connection = ys_connection_find(host, channel->connection);
        next = channel->next; /* it may be over and gone */
        if (connection != NULL && channel->state >= YS_CHANNEL_OPENING)
            more = run_channel(host, connection, channel, channels->yields) || more;
    }
    for (size_t i = 0; i < YS_CONNECTIONS; i++) {
        if (host->connections[i].used)
            send_refusals(host, channels, &host->connections[i]);
    }
    return more ? 0 : YS_FOREVER;
}

static void connection_changed(struct ys_host *host, struct ys_connection *connection)
{
    struct ys_channels *channels = channels_of(host);
    struct ys_channel *next;
    if (connection->used)
        return;
    if (channels->refused_connection == connection->handle)
        channels->refused_identifier = channels->gone_identifier = 0;
    for (struct ys_channel *channel = channels->first; channel != NULL; channel = next) {
        next = channel->next;
        if (channel->state >= YS_CHANNEL_OPENING && channel->connection == connection->handle)
            end(host, channel, YS_EVENT_CHANNEL_CLOSED, 0);
    }
}

static const struct ys_extra_calls calls = {
    .receive = frame_in,
    .run = run,
    .connection = connection_changed,
};

/* calls */

void ys_host_use_channels(struct ys_host *host, struct ys_channels *channels)
{
    memset(channels, 0, sizeof *channels);
    ys_extra_add(host, &channels->extra, &calls, 0);
}

/* Makes a channel known. */
static enum ys_result take(struct ys_host *host, struct ys_channel *channel, const struct ys_channel_settings *settings)
{
    struct ys_channels *channels = channels_of(host);
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
    enum ys_result result = take(host, channel, settings);
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
    uint16_t id = channels_of(host) != NULL ? free_id(host, connection) : YS_L2CAP_DYNAMIC_FIRST;
    if (id == 0)
        return YS_ERROR_NO_ROOM;
    enum ys_result result = take(host, channel, settings);
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
        channel->stream->by_channel = false;
    if (stream != NULL)
        stream->by_channel = true;
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
        end(host, channel, YS_EVENT_CHANNEL_CLOSED, 0);
    else if (channel->state == YS_CHANNEL_OPEN)
        break_off(channel);
    ys_wake(host);
    return YS_OK;
}
