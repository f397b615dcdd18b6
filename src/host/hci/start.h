/* The commands by which a host starts. */
#ifndef HOST_HCI_START_H
#define HOST_HCI_START_H

#include "host/core/due.h"

/* The rows of the commands of the start, and of COMMAND_DISCONNECT. */
extern const struct ys_command_row ys_start_rows[];

/* Ends the start, or all that goes on, because of a step of it. */
void ys_start_failed(struct ys_host *host, enum ys_event_kind kind, const char *step, uint8_t status);

#endif
