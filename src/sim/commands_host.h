/* Commands about the controller itself: its properties, and computations for its host. */
#ifndef SIM_COMMANDS_HOST_H
#define SIM_COMMANDS_HOST_H

#include "sim/controller_state.h"

const struct command_row *commands_find_host(uint16_t opcode);

/* What is being computed is dropped, and the key with it. */
void computing_stop(struct ys_controller *controller);

#endif
