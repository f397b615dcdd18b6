/* Control procedures. */
#ifndef SIM_PROCEDURES_H
#define SIM_PROCEDURES_H

#include "sim/link_state.h"

/* A control PDU has come that does not belong to encryption; false if it is not known. The link may end by it. */
bool procedures_control_in(struct link *link, const struct ys_link_control_pdu *pdu);
/* The host's answer to the parameters that the other side asks for; NULL: no, for that reason. */
uint8_t procedures_answer(struct link *link, const struct ys_hci_parameters *parameters, uint8_t reason);
/* Before an event: what holds from it on. Returns by how much its anchor moves. The link may end by it. */
uint64_t procedures_at_event(struct link *link);

#endif
