/* Connection-oriented channels with credits (Core 5.4 Vol 3 Part A 3.4, 4.22 to 4.24, 10.1): whole messages of any
 * length beside the attributes, in both directions, on any connection and in both roles.
 *
 * A service is known by a number (SPSM): 0x0001 to 0x007f are adopted ones, 0x0080 to 0x00ff are free for use. One side
 * waits for it, the other opens it. Each side lends the other credits, one for each packet, and lends new ones as they
 * are used, so that nobody sends what has no room.
 *
 * All calls: from handlers, events and the main loop. */
#ifndef YARNSWIFT_CHANNEL_H
#define YARNSWIFT_CHANNEL_H

#include <yarnswift/host.h>

#ifdef __cplusplus
extern "C" {
#endif

/* Why a channel was refused (Vol 3 Part A 4.23). */
enum ys_channel_result {
    YS_CHANNEL_NO_SERVICE = 0x02, /* nobody waits for this number */
    YS_CHANNEL_NO_RESOURCES = 0x04,
    YS_CHANNEL_AUTHENTICATION = 0x05, /* the link must be authenticated; also the next: */
    YS_CHANNEL_AUTHORIZATION = 0x06,
    YS_CHANNEL_KEY_SIZE = 0x07,
    YS_CHANNEL_ENCRYPTION = 0x08,
    YS_CHANNEL_INVALID_SOURCE = 0x09,
    YS_CHANNEL_SOURCE_TAKEN = 0x0a,
    YS_CHANNEL_PARAMETERS = 0x0b,
    YS_CHANNEL_NO_ANSWER = 0xfe,     /* for 30 s */
    YS_CHANNEL_NOT_UNDERSTOOD = 0xff /* the other side has no such channels */
};

/* The states of a channel. A side that waits begins at "waiting" and comes back to it; one that opens begins and ends
 * at "closed".
 *
 *   closed --ys_channel_wait--> waiting --the other side opens it--> open
 *   closed --ys_channel_open--> opening --the other side takes it--> open
 *                               opening --it refuses, or the connection ends--> closed
 *   open --ys_channel_close, or the other side breaks the rules--> closing --its answer, or the connection ends--> over
 *   open --the other side closes it, or the connection ends--> over
 *   over: waiting again if it waited and was not closed here, else closed */
enum ys_channel_state {
    YS_CHANNEL_CLOSED,
    YS_CHANNEL_WAITING,
    YS_CHANNEL_OPENING,
    YS_CHANNEL_OPEN,
    YS_CHANNEL_CLOSING
};

/* Settings of a channel. `memory` holds an incoming message until it is complete. */
struct ys_channel_settings {
    uint16_t spsm;   /* the service's number: 0x0001 to 0x00ff */
    uint8_t level;   /* enum ys_level that the link must have, where this side waits; 0: open */
    uint8_t credits; /* that are lent at first, and again once half are used: 1 to 255; 0: 10 */
    void *memory;    /* of `size` bytes; the caller's, valid as long as the channel is not closed */
    uint16_t size;   /* the longest message that can come: 23 to 65,535 */
    uint16_t packet; /* the longest packet that it takes: 23 to YS_MTU; 0: YS_MTU_PREFERRED, or a shorter `size` */
};

/* A channel. Its memory is the caller's; zero it before its first use. Private but for `state` and `peer_size`. */
struct ys_channel {
    uint8_t state;      /* enum ys_channel_state */
    uint16_t peer_size; /* open: the longest message that the other side takes */
    struct ys_channel_settings settings;
    struct ys_channel *next;
    uint16_t connection;
    uint16_t own_id;
    uint16_t peer_id;
    uint16_t peer_packet; /* the longest packet that the other side takes */
    uint16_t credits;     /* to send */
    uint16_t lent;        /* that the other side has */
    uint16_t received;    /* bytes of the message that comes, and of how many: */
    uint16_t expected;
    const uint8_t *sending; /* the message that goes; NULL: none */
    uint16_t sending_length;
    uint16_t sent;
    struct ys_stream *stream;
    uint32_t until_ms; /* opening, closing: an answer is waited for */
    uint8_t identifier;
    uint8_t due; /* signalling commands */
    bool waits;  /* again, once it is over */
};

/* The memory of channels. Private. */
struct ys_channels {
    struct ys_extra extra;
    struct ys_channel *first;
    uint16_t refused_connection; /* a request that is refused without a channel */
    uint8_t refused_identifier;
    uint8_t refused_result;
    uint8_t gone_identifier; /* the same an end of what is not there any more */
    uint16_t gone_ids[2];
    uint8_t last_identifier;
    bool yields;  /* it is the attributes' turn */
    bool shorter; /* a channel was taken out of the list */
};

/* Lets a host have channels. Between ys_host_init and ys_host_start; `channels` is the host's from then on. */
void ys_host_use_channels(struct ys_host *host, struct ys_channels *channels);

/* Waits for the other side of any connection to open the service; each channel that waits takes one. `channel` is the
 * host's until it is closed. YS_EVENT_CHANNEL_OPENED reports it. YS_ERROR_ARGUMENT, YS_ERROR_UNSUPPORTED (it needs
 * ys_host_use_channels), YS_ERROR_BUSY (it is not closed). */
enum ys_result ys_channel_wait(struct ys_host *host, struct ys_channel *channel,
                               const struct ys_channel_settings *settings);

/* Opens the service on a connection; YS_EVENT_CHANNEL_OPENED or YS_EVENT_CHANNEL_REFUSED reports the result. Else as
 * ys_channel_wait; YS_ERROR_NO_CONNECTION. */
enum ys_result ys_channel_open(struct ys_host *host, struct ys_channel *channel, uint16_t connection,
                               const struct ys_channel_settings *settings);

/* Sends a message of 1 to `peer_size` bytes, which stay the caller's and must stay as they are until
 * YS_EVENT_CHANNEL_SENT. YS_ERROR_ARGUMENT; YS_ERROR_NO_CONNECTION: it is not open; YS_ERROR_BUSY: one goes already, or
 * a stream has the channel. */
enum ys_result ys_channel_send(struct ys_host *host, struct ys_channel *channel, const void *bytes, uint16_t length);

/* Sends what is appended to a stream over this channel from now on, whenever it is open: in messages as long as the
 * other side takes and as there are bytes. The stream's characteristic does not notify meanwhile. NULL: no more.
 * YS_ERROR_ARGUMENT: the stream is not open. */
enum ys_result ys_channel_stream(struct ys_channel *channel, struct ys_stream *stream);

/* Closes it, or waits no longer. An open one is closed once the other side has heard of it, or the connection has
 * ended: YS_EVENT_CHANNEL_CLOSED reports it, and its memory is the caller's again. A message that goes is cut off.
 * YS_ERROR_ARGUMENT: it is closed. */
enum ys_result ys_channel_close(struct ys_host *host, struct ys_channel *channel);

#ifdef __cplusplus
}
#endif

#endif
