/* The channels of a host. What waits to be signalled is a bit in its channel. */
#ifndef HOST_L2CAP_CHANNEL_LIST_H
#define HOST_L2CAP_CHANNEL_LIST_H

#include <yarnswift/channel.h>

enum due { DUE_REQUEST = 1, DUE_RESPONSE = 2, DUE_CREDITS = 4, DUE_END = 8, DUE_ENDED = 16 };

#define CREDITS_MOST 0xffff
#define SIZE_LEAST   23 /* of messages and packets (Core 5.4 Vol 3 Part A 4.22) */
#define LENGTH_FIELD 2  /* before a message, in its first packet (Vol 3 Part A 3.4.3) */

/* The longest packet, as the host's memory for PDUs allows. */
#define PACKET_MOST YS_MTU

/* NULL if the host does not use channels. */
struct ys_channels *ys_channels_of(const struct ys_host *host);

/* On a connection: by its own number; by that of a signalling command; and whether the peer uses a number already. */
struct ys_channel *ys_channel_find(const struct ys_host *host, uint16_t connection, uint16_t own_id);
struct ys_channel *ys_channel_by_identifier(const struct ys_host *host, uint16_t connection, uint8_t identifier);
bool ys_channel_has_peer_id(const struct ys_host *host, uint16_t connection, uint16_t id);
/* A number that is free; 0: none is. */
uint16_t ys_channel_free_id(const struct ys_host *host, uint16_t connection);

void ys_channel_tell(struct ys_host *host, enum ys_event_kind kind, struct ys_channel *channel, uint8_t reason);
/* The channel has ended: a waiting one waits again, unless it is to be closed. */
void ys_channel_end(struct ys_host *host, struct ys_channel *channel, enum ys_event_kind kind, uint8_t reason);
/* The other side breaks the rules: 3.4 and 10.1 have the channel ended. */
void ys_channel_break_off(struct ys_channel *channel);
void ys_channel_forget_message(struct ys_channel *channel);

/* Credits that are lent at once, and the longest packet that is taken. */
uint8_t ys_channel_lends(const struct ys_channel *channel);
uint16_t ys_channel_packet_size(const struct ys_channel *channel);

#endif
