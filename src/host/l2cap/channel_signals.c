/* Signalling commands of channels (Core 5.4 Vol 3 Part A 4.6, 4.7, 4.22 to 4.24). */
#include "host/l2cap/channel_signals.h"

#include <yarnswift/security.h>

#include "host/core/clock.h"
#include "host/core/connections.h"
#include "host/l2cap/channel_list.h"
#include "host/l2cap/frames.h"
#include "wire/l2cap.h"

#define ANSWER_MS 30000 /* that a signal may take to be answered (Vol 3 Part A 6.2.1) */

/* Vol 3 Part A 4. */
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
bool ys_channel_send_due(struct ys_host *host, struct ys_connection *connection, struct ys_channel *channel)
{
    const uint16_t credits = ys_channel_lends(channel);
    const uint16_t more = (uint16_t)(credits - channel->lent);
    const uint16_t request[] = {channel->settings.spsm, channel->own_id, channel->settings.size,
                                ys_channel_packet_size(channel), credits};
    const uint16_t response[] = {channel->own_id, channel->settings.size, ys_channel_packet_size(channel), credits, 0};
    const uint16_t lend[] = {channel->own_id, more};
    const uint16_t ends[] = {channel->peer_id, channel->own_id};
    const uint16_t ended[] = {channel->own_id, channel->peer_id};
    uint8_t due = (uint8_t)(channel->due & -channel->due);
    bool good = false;
    if (due == DUE_REQUEST || due == DUE_CREDITS || due == DUE_END)
        channel->identifier = next_identifier(ys_channels_of(host));
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
    channel->until_ms = ys_now_ms(host) + ANSWER_MS;
    if (due == DUE_REQUEST || due == DUE_RESPONSE)
        channel->lent = credits;
    else if (due == DUE_CREDITS)
        channel->lent = (uint16_t)(channel->lent + more);
    if (due == DUE_RESPONSE)
        ys_channel_tell(host, YS_EVENT_CHANNEL_OPENED, channel, 0);
    if (due == DUE_ENDED)
        ys_channel_end(host, channel, YS_EVENT_CHANNEL_CLOSED, 0);
    return true;
}

/* What belongs to no channel. */
void ys_channel_send_refusals(struct ys_host *host, struct ys_channels *channels, struct ys_connection *connection)
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

/* Vol 3 Part A 4.22, 4.23. */
static void request_in(struct ys_host *host, struct ys_connection *connection, uint8_t identifier,
                       const uint16_t *fields)
{
    struct ys_channels *channels = ys_channels_of(host);
    struct ys_channel *channel = channels->first;
    uint16_t own_id = ys_channel_free_id(host, connection->handle);
    uint8_t result = 0;
    while (channel != NULL && (channel->state != YS_CHANNEL_WAITING || channel->settings.spsm != fields[0]))
        channel = channel->next;
    if (channel == NULL)
        result = YS_CHANNEL_NO_SERVICE;
    else if (fields[1] < YS_L2CAP_DYNAMIC_FIRST || fields[1] > YS_L2CAP_DYNAMIC_LAST)
        result = YS_CHANNEL_INVALID_SOURCE;
    else if (ys_channel_has_peer_id(host, connection->handle, fields[1]))
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

/* Vol 3 Part A 4.22, 4.23. */
static void response_in(struct ys_host *host, struct ys_channel *channel, const uint16_t *fields)
{
    if (channel->state != YS_CHANNEL_OPENING)
        return;
    bool valid = fields[0] >= YS_L2CAP_DYNAMIC_FIRST && fields[0] <= YS_L2CAP_DYNAMIC_LAST && fields[1] >= SIZE_LEAST &&
                 fields[2] >= SIZE_LEAST && !ys_channel_has_peer_id(host, channel->connection, fields[0]);
    if (fields[4] != 0 || !valid) {
        ys_channel_end(host, channel, YS_EVENT_CHANNEL_REFUSED,
                       fields[4] != 0 ? (uint8_t)fields[4] : YS_CHANNEL_PARAMETERS);
        return;
    }
    channel->state = YS_CHANNEL_OPEN;
    channel->peer_id = fields[0];
    channel->peer_size = fields[1];
    channel->peer_packet = fields[2];
    channel->credits = fields[3];
    ys_channel_tell(host, YS_EVENT_CHANNEL_OPENED, channel, 0);
}

/* Vol 3 Part A 4.24. */
static void credits_in(struct ys_host *host, uint16_t connection, const uint16_t *fields)
{
    struct ys_channel *channel = ys_channels_of(host)->first;
    while (channel != NULL &&
           (channel->connection != connection || channel->peer_id != fields[0] || channel->state != YS_CHANNEL_OPEN))
        channel = channel->next;
    if (channel == NULL)
        return;
    if (fields[1] == 0 || fields[1] > CREDITS_MOST - channel->credits)
        ys_channel_break_off(channel);
    else
        channel->credits = (uint16_t)(channel->credits + fields[1]);
}

/* Vol 3 Part A 4.6, 4.7. */
static void end_in(struct ys_host *host, uint16_t connection, uint8_t identifier, const uint16_t *fields)
{
    struct ys_channels *channels = ys_channels_of(host);
    struct ys_channel *channel = ys_channel_find(host, connection, fields[0]);
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

bool ys_channel_signal(struct ys_host *host, struct ys_connection *connection, const uint8_t *pdu, size_t length)
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
    struct ys_channel *asked = ys_channel_by_identifier(host, connection->handle, signal.identifier);
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
            ys_channel_end(host, asked, YS_EVENT_CHANNEL_CLOSED, 0);
        return true;
    default:
        if (asked == NULL)
            return false;
        ys_channel_end(host, asked,
                       asked->state == YS_CHANNEL_CLOSING ? YS_EVENT_CHANNEL_CLOSED : YS_EVENT_CHANNEL_REFUSED,
                       YS_CHANNEL_NOT_UNDERSTOOD);
        return true;
    }
}
