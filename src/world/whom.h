/* Whom a central knows. */
#ifndef WORLD_WHOM_H
#define WORLD_WHOM_H

#include "world/central_parts.h"

/* Who has this address; NULL if nobody is known to have it. */
struct ys_peer *central_find_peer(const struct ys_central *central, const struct ys_address *address);

/* Who is connected by this connection; NULL if nobody is. */
struct ys_peer *central_peer_of(const struct ys_central *central, uint16_t connection);

#endif
