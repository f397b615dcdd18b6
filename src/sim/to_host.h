/* What a controller tells its host. */
#ifndef SIM_TO_HOST_H
#define SIM_TO_HOST_H

#include "sim/controller_state.h"

/* Sends a packet that was composed: an event or data. */
void controller_send(struct ys_controller *controller, struct ys_writer *writer);
/* Begins an LE event; false if the host has masked it. */
bool controller_begin_le_event(const struct ys_controller *controller, struct ys_writer *writer, uint8_t subevent);
/* PHYs as commands and events count them. */
enum ys_phy phy_of_hci(uint8_t phy);
uint8_t phy_to_hci(enum ys_phy phy);

#endif
