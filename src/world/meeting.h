/* A central connects, and parts. */
#ifndef WORLD_MEETING_H
#define WORLD_MEETING_H

#include "world/central_parts.h"

/* A connection was made; could not be; has ended. */
void central_met(struct ys_central *central, const struct ys_event *event);
void central_not_met(struct ys_central *central, uint8_t reason);
void central_left(struct ys_central *central, const struct ys_event *event);

/* There is no connection with it any more. */
void central_forget_connection(struct ys_peer *peer, uint8_t reason);

#endif
