/* The PDUs of control procedures. */
#ifndef SIM_PROCEDURES_COMPOSE_H
#define SIM_PROCEDURES_COMPOSE_H

#include "sim/link_state.h"

/* Fills a control PDU that is due. */
void procedures_compose(struct link *link, enum control control, struct ys_link_control_pdu *pdu);

#endif
