/* Legacy advertising as commands. */
#ifndef HOST_GAP_ADVERTISING_ROWS_H
#define HOST_GAP_ADVERTISING_ROWS_H

#include "host/core/due.h"

/* The row of a command of advertising, for a controller without sets. */
const struct ys_command_row *ys_advertising_row(uint8_t command);

#endif
