/* Commands of a controller. */
#ifndef SIM_COMMANDS_H
#define SIM_COMMANDS_H

#include "sim/controller_state.h"

const struct command_row *commands_find(uint16_t opcode);

bool scan_times_are_valid(uint16_t interval, uint16_t window);
uint8_t connect_check(const struct ys_controller *controller, const struct ys_hci_connect *wanted);

#endif
