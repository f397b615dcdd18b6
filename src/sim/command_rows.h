/* All commands that a controller knows. */
#ifndef SIM_COMMAND_ROWS_H
#define SIM_COMMAND_ROWS_H

#include "sim/controller_state.h"

/* NULL: it does not know the command. */
const struct command_row *command_row_of(const struct ys_controller *controller, uint16_t opcode);

#endif
