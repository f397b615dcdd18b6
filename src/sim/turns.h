/* Whose turn it is on the one radio. */
#ifndef SIM_TURNS_H
#define SIM_TURNS_H

#include "sim/controller_state.h"

/* Whether an event of this link may begin now. Who has the radio for something less urgent loses it. */
bool turns_begin(struct link *link);
/* The event is over: who only waits for the radio gets it back. */
void turns_end(struct link *link);
/* Sets when an event of this link must be over, for the sake of what comes next. */
void turns_bound(struct link *link);
/* Whether an event of an advertiser of this length may be sent now, which it must be if it is to be sent at once. */
bool turns_advertise(struct ys_controller *controller, uint64_t length_ns, bool at_once);

#endif
