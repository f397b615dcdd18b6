/* Streams: bytes that an interrupt appends, and that the host notifies to a subscriber as fast as the link carries
 * them, in notifications as full as the MTU allows. */
#ifndef YARNSWIFT_STREAM_H
#define YARNSWIFT_STREAM_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include <yarnswift/result.h>

#ifdef __cplusplus
extern "C" {
#endif

struct ys_host;

/* A stream: a ring with one writer, the interrupt, and one reader, the host. Zero it before its first use; its fields
 * are private. */
struct ys_stream {
    uint8_t *bytes;
    uint32_t size;
    uint32_t head; /* where the next byte goes; the writer's */
    uint32_t tail; /* where the next byte comes from; the host's */
    uint32_t refused;
    uint16_t handle;
    bool elsewhere; /* a channel or an outbox sends it, see channel.h and outbox.h */
    struct ys_host *host;
    struct ys_stream *next;
};

/* Opens a stream of a characteristic that notifies and whose definition says `stream: true`. `memory` of `size`
 * bytes holds what waits, one byte less than `size`; it and the stream stay the caller's and must stay valid as long as
 * the host is used. One client at a time can subscribe to it; a second one is refused. What waits when a client
 * unsubscribes stays, for the next; what has been handed to the controller when a connection ends is gone. Opening it
 * again changes nothing. From handlers, events and the main loop, after ys_host_init. YS_ERROR_ARGUMENT: the handle
 * cannot notify, or `size` is less than 2. */
enum ys_result ys_stream_open(struct ys_host *host, struct ys_stream *stream, uint16_t handle, void *memory,
                              uint32_t size);

/* Appends all of `length` bytes, or none: false if they do not fit, which is counted. The stream must be open. Safe
 * from one interrupt, or one thread, at a time, and from everywhere else while that cannot come. */
bool ys_stream_append(struct ys_stream *stream, const void *bytes, uint32_t length);

/* How many bytes could be appended now, to an open stream. From where ys_stream_append may be called. */
uint32_t ys_stream_room(const struct ys_stream *stream);

/* How many bytes have been refused since it was opened; wraps at 2^32. From anywhere. */
uint32_t ys_stream_refused(const struct ys_stream *stream);

#ifdef __cplusplus
}
#endif

#endif
