/* Which channels a connection uses. */
#ifndef SIM_CHANNELS_H
#define SIM_CHANNELS_H

#include "sim/link_state.h"

/* Notes whether an expected packet on the channel of this event arrived. */
void channels_count(struct link *link, bool good);
/* The event is over: a central may want another map. */
void channels_consider(struct link *link);
/* The map that its host and what it has heard allow. */
void channels_map(const struct link *link, uint8_t map[5]);
/* Those that the host allows, and more where those are too few. */
void channels_allowed(const struct ys_controller *controller, uint8_t map[5]);
/* The host has another opinion. */
void channels_changed(struct ys_controller *controller);

#endif
