/* What was discovered of a peer. */
#ifndef WORLD_PEER_H
#define WORLD_PEER_H

#include "world/central_parts.h"

/* What was discovered at a handle; NULL: nothing. */
const struct discovered *peer_find(const struct ys_peer *peer, uint16_t handle);

/* Puts what was discovered into order. */
void peer_sort(struct ys_peer *peer);

/* Learns what the characteristics from that number of `tree` on are by the definition of its device. */
void peer_define(struct ys_peer *peer, size_t from);

/* Forgets what was discovered. */
void peer_forget(struct ys_peer *peer);

/* Ends the connection with it, which is there until the end is known to both; false if there is none. */
bool peer_leave(struct ys_peer *peer);

#endif
