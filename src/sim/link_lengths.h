/* How long the packets of a connection may be. */
#ifndef SIM_LINK_LENGTHS_H
#define SIM_LINK_LENGTHS_H

#include "sim/link_state.h"

/* The lengths that the PHYs allow may have changed: reports them to the host, if so. */
void link_lengths_changed(struct link *link);
/* The longest data that may be sent now, considering procedures that may shorten later retransmissions. */
uint8_t link_payload_through_procedures(const struct link *link);
/* How long an exchange takes in which one side sends a packet as long as may be. */
uint64_t link_data_exchange_ns(const struct link *link);
/* How long the longest packet takes that the other side may answer with. */
uint64_t link_longest_answer_ns(const struct link *link);

#endif
