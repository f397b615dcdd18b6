/* Commands of connections. */
#ifndef SIM_COMMANDS_LINK_H
#define SIM_COMMANDS_LINK_H

#include "sim/controller_state.h"

const struct command_row *commands_find_link(uint16_t opcode);

#endif
