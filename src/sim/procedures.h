/* Control procedures. */
#ifndef SIM_PROCEDURES_H
#define SIM_PROCEDURES_H

#include "sim/link_state.h"

void procedures_begin(struct link *link);
void procedures_want(struct link *link, enum procedure procedure);
/* A control PDU has come that does not belong to encryption; false if it is not known. The link may end by it. */
bool procedures_control_in(struct link *link, const struct ys_link_control_pdu *pdu);
void procedures_compose(struct link *link, enum control control, struct ys_link_control_pdu *pdu);
/* The host's answer to the parameters that the other side asks for; NULL: no, for that reason. */
uint8_t procedures_answer(struct link *link, const struct ys_hci_parameters *parameters, uint8_t reason);
/* Before an event: what holds from it on. Returns by how much its anchor moves. The link may end by it. */
uint64_t procedures_at_event(struct link *link);
/* Whether one goes on that has no end yet. */
bool procedures_are_busy(const struct link *link);
/* Whether one has waited for its answer for too long. */
bool procedures_are_late(const struct link *link, uint64_t now_ns);

#endif
