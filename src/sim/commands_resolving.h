/* Commands of the resolving list. */
#ifndef SIM_COMMANDS_RESOLVING_H
#define SIM_COMMANDS_RESOLVING_H

#include "sim/controller_state.h"

command_fn resolving_add, resolving_remove, resolving_clear, resolving_read_size, resolving_enable,
    resolving_set_timeout, resolving_set_mode;

#endif
