/* Commands of sets, and of scanning and connecting beside them. */
#ifndef SIM_COMMANDS_EXTENDED_H
#define SIM_COMMANDS_EXTENDED_H

#include "sim/controller_state.h"

const struct command_row *commands_find_extended(uint16_t opcode);

#endif
