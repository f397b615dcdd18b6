/* Sets, and scanning and connecting beside them, as commands. */
#ifndef HOST_GAP_SET_ROWS_H
#define HOST_GAP_SET_ROWS_H

#include <yarnswift/sets.h>

#include "host/core/due.h"

/* The row of a command of extended advertising; NULL if it is not one, or the controller has no sets. */
const struct ys_command_row *ys_set_row(const struct ys_host *host, uint8_t command);

#endif
