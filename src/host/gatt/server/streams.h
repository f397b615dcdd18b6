/* Streams that are notified. */
#ifndef HOST_GATT_SERVER_STREAMS_H
#define HOST_GATT_SERVER_STREAMS_H

#include <yarnswift/host.h>

/* Sends a packet of a stream to which this connection has subscribed; false if there is none, or no room. */
bool ys_stream_run(struct ys_host *host, struct ys_connection *connection);

#endif
