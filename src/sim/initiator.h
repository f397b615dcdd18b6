/* Beginning connections. */
#ifndef SIM_INITIATOR_H
#define SIM_INITIATOR_H

#include "sim/controller_state.h"

void initiators_init(struct ys_controller *controller);
uint8_t initiators_start(struct ys_controller *controller);
void initiators_stop(struct ys_controller *controller);
bool initiators_are_on(const struct ys_controller *controller);

#endif
