/* The data of a connection. */
#ifndef SIM_LINK_DATA_H
#define SIM_LINK_DATA_H

#include "sim/controller_state.h"

void link_send(struct link *link, const struct ys_hci_data *data, const uint8_t *bytes);
/* Gives its buffers back. */
void link_drop_data(struct link *link);
/* Whether a packet that begins then would be over in time, with its answer. */
bool link_has_time(const struct link *link, uint64_t at_ns);
/* Puts the next packet on the air, if it is over in time, with its answer: returns when it ends, or 0. */
uint64_t link_transmit(struct link *link);
/* Takes a packet: its acknowledgement, then its data. Returns false if the link has ended. */
bool link_receive(struct link *link, const struct ys_air_packet *packet);

#endif
