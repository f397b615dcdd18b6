/* The ring of a stream, as the host uses it: attributes and channels both send from it. */
#ifndef HOST_CORE_RING_H
#define HOST_CORE_RING_H

#include <yarnswift/host.h>

/* The stream of a handle; NULL if there is none. */
struct ys_stream *ys_stream_at(const struct ys_host *host, uint16_t handle);
/* How many bytes of a stream wait; and the next ones of them, which are then gone. */
uint32_t ys_stream_waiting(const struct ys_stream *stream);
void ys_stream_take(struct ys_stream *stream, struct ys_writer *writer, uint32_t length);

/* Parts of a ring, for what keeps more than bytes in it. Each copies `length` bytes at a position, and returns the
 * position after them; a writer makes them known, or a reader gives their room back, by moving `head` or `tail`. */
uint32_t ys_ring_write(struct ys_stream *stream, uint32_t at, const void *bytes, uint32_t length);
uint32_t ys_ring_read(const struct ys_stream *stream, uint32_t at, struct ys_writer *writer, uint32_t length);
uint32_t ys_ring_after(const struct ys_stream *stream, uint32_t at, uint32_t length);

#endif
