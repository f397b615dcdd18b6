/* The ring of a stream, as the host uses it: attributes and channels both send from it. */
#ifndef HOST_CORE_RING_H
#define HOST_CORE_RING_H

#include <yarnswift/host.h>

/* The stream behind a handle; NULL if there is none. */
struct ys_stream *ys_stream_at(const struct ys_host *host, uint16_t handle);
/* How many bytes of a stream wait; and the next ones of them, which are then gone. */
uint32_t ys_stream_waiting(const struct ys_stream *stream);
void ys_stream_take(struct ys_stream *stream, struct ys_writer *writer, uint32_t length);

#endif
