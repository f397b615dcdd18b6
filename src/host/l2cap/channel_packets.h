/* Packets of channels. */
#ifndef HOST_L2CAP_CHANNEL_PACKETS_H
#define HOST_L2CAP_CHANNEL_PACKETS_H

#include <yarnswift/channel.h>

/* Takes a packet. */
void ys_channel_packet(struct ys_host *host, struct ys_channel *channel, const uint8_t *pdu, size_t length);
/* Does what is due for a channel, and sends what it may. */
bool ys_channel_run(struct ys_host *host, struct ys_connection *connection, struct ys_channel *channel, bool yields);

#endif
