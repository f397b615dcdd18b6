/* Signalling commands of channels. */
#ifndef HOST_L2CAP_CHANNEL_SIGNALS_H
#define HOST_L2CAP_CHANNEL_SIGNALS_H

#include <yarnswift/channel.h>

/* Sends what a channel has to say, the first thing first; false if there is no room. */
bool ys_channel_send_due(struct ys_host *host, struct ys_connection *connection, struct ys_channel *channel);
/* Sends what belongs to no channel. */
void ys_channel_send_refusals(struct ys_host *host, struct ys_channels *channels, struct ys_connection *connection);
/* Takes a signalling command; false if it is not about channels. */
bool ys_channel_signal(struct ys_host *host, struct ys_connection *connection, const uint8_t *pdu, size_t length);

#endif
