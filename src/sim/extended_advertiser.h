/* Events of extended advertising. */
#ifndef SIM_EXTENDED_ADVERTISER_H
#define SIM_EXTENDED_ADVERTISER_H

#include "sim/controller_state.h"

void extended_begin_event(struct advertiser *advertiser);
void extended_step(struct advertiser *advertiser);
void extended_receive(struct advertiser *advertiser, const struct ys_air_packet *packet);
/* How much fits into the one packet of a set that can be connected to; and how long an event of it lasts, with its
 * response. */
size_t extended_data_max(const struct advertiser *advertiser);
uint64_t extended_event_ns(const struct advertiser *advertiser);

#endif
