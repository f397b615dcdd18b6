/* A controller on the advertising channels: its addresses, and the packets it sends and hears. */
#ifndef SIM_AIRING_H
#define SIM_AIRING_H

#include "sim/controller_state.h"

/* By its type in commands: public, random, or one that is made for this peer, and else public or random. */
struct ys_address controller_own_address(struct ys_controller *controller, uint8_t type, const struct ys_address *peer);
/* Whether a target is this controller, by that address or one that is made for whoever knows it. */
bool controller_is_own(const struct ys_controller *controller, const struct ys_address *own,
                       const struct ys_address *target);
bool controller_accepts(const struct ys_controller *controller, const struct ys_address *address);
bool controller_takes_advertising(const struct ys_air_packet *packet, struct ys_link_advertising *pdu);
/* All return when the packet ends. `crc`: if it is known. */
uint64_t controller_transmit(struct ys_controller *controller, const struct sending_on *on, const uint8_t *pdu,
                             size_t length, const uint32_t *crc);
uint64_t controller_transmit_advertising(struct ys_controller *controller, const struct sending_on *on,
                                         const struct ys_link_advertising *pdu);
uint64_t controller_transmit_extended(struct ys_controller *controller, const struct sending_on *on,
                                      const struct ys_link_extended *pdu);
/* Tells the host of a connection, by the names that it knows. */
void controller_connection_complete(struct ys_controller *controller, const struct ys_hci_connection *complete);

#endif
