/* What a host is told of control procedures. */
#ifndef SIM_PROCEDURES_TELL_H
#define SIM_PROCEDURES_TELL_H

#include "sim/link_state.h"

void procedures_tell_update(struct link *link, uint8_t status);
void procedures_tell_phys(struct link *link, uint8_t status);
void procedures_tell_features(struct link *link, uint8_t status);
void procedures_tell_version(struct link *link, uint8_t status);

/* Asks it for parameters that the other side wants; false if it does not want to be asked. */
bool procedures_ask_host(struct link *link, const struct ys_link_control_pdu *pdu);

#endif
