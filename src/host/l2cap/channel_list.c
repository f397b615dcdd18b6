/* The channels of a host: found, told of, ended. */
#include "host/l2cap/channel_list.h"

#include "host/core/events.h"
#include "host/core/extras.h"
#include "wire/l2cap.h"

#define CREDITS_USUAL 10

struct ys_channels *ys_channels_of(const struct ys_host *host)
{
    return (struct ys_channels *)ys_extra_find(host, YS_EXTRA_CHANNELS);
}

void ys_channel_tell(struct ys_host *host, enum ys_event_kind kind, struct ys_channel *channel, uint8_t reason)
{
    ys_emit(host,
            &(struct ys_event){
                .kind = kind, .connection = channel->connection, .reason = reason, .u.channel = {.channel = channel}});
}

uint8_t ys_channel_lends(const struct ys_channel *channel)
{
    return channel->settings.credits != 0 ? channel->settings.credits : CREDITS_USUAL;
}

uint16_t ys_channel_packet_size(const struct ys_channel *channel)
{
    uint16_t packet = channel->settings.packet != 0 ? channel->settings.packet : YS_MTU_PREFERRED;
    return channel->settings.packet != 0 || packet < channel->settings.size ? packet : channel->settings.size;
}

void ys_channel_forget_message(struct ys_channel *channel)
{
    channel->sending = NULL;
    channel->sending_length = 0;
    channel->sent = 0;
}

struct ys_channel *ys_channel_find(const struct ys_host *host, uint16_t connection, uint16_t own_id)
{
    struct ys_channel *channel = ys_channels_of(host)->first;
    while (channel != NULL &&
           (channel->connection != connection || channel->own_id != own_id || channel->state < YS_CHANNEL_OPENING))
        channel = channel->next;
    return channel;
}

struct ys_channel *ys_channel_by_identifier(const struct ys_host *host, uint16_t connection, uint8_t identifier)
{
    struct ys_channel *channel = ys_channels_of(host)->first;
    while (channel != NULL && (channel->connection != connection || channel->identifier != identifier ||
                               (channel->state != YS_CHANNEL_OPENING && channel->state != YS_CHANNEL_CLOSING)))
        channel = channel->next;
    return channel;
}

bool ys_channel_has_peer_id(const struct ys_host *host, uint16_t connection, uint16_t id)
{
    const struct ys_channel *channel = ys_channels_of(host)->first;
    while (channel != NULL &&
           (channel->connection != connection || channel->peer_id != id || channel->state != YS_CHANNEL_OPEN))
        channel = channel->next;
    return channel != NULL;
}

/* 0: none is free (Vol 3 Part A 2.1). */
uint16_t ys_channel_free_id(const struct ys_host *host, uint16_t connection)
{
    for (uint16_t id = YS_L2CAP_DYNAMIC_FIRST; id <= YS_L2CAP_DYNAMIC_LAST; id++) {
        if (ys_channel_find(host, connection, id) == NULL)
            return id;
    }
    return 0;
}

static void unlink_channel(struct ys_host *host, const struct ys_channel *channel)
{
    struct ys_channel **link = &ys_channels_of(host)->first;
    while (*link != NULL && *link != channel)
        link = &(*link)->next;
    if (*link != NULL)
        *link = channel->next;
    ys_channels_of(host)->shorter = true;
}

/* The channel has ended: a waiting one waits again, unless it is to be closed. Transitions are drawn at enum
 * ys_channel_state. The firmware may open or close any channel in the event, so callers must not use channels that they
 * knew before. */
void ys_channel_end(struct ys_host *host, struct ys_channel *channel, enum ys_event_kind kind, uint8_t reason)
{
    channel->state = channel->waits ? YS_CHANNEL_WAITING : YS_CHANNEL_CLOSED;
    channel->due = 0;
    ys_channel_forget_message(channel);
    if (!channel->waits)
        unlink_channel(host, channel);
    ys_channel_tell(host, kind, channel, reason);
}

/* The other side breaks the rules: 3.4 and 10.1 have the channel ended. */
void ys_channel_break_off(struct ys_channel *channel)
{
    channel->state = YS_CHANNEL_CLOSING;
    channel->due |= DUE_END;
    ys_channel_forget_message(channel);
}
