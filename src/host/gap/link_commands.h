/* What the controller is told of connections. */
#ifndef HOST_GAP_LINK_COMMANDS_H
#define HOST_GAP_LINK_COMMANDS_H

#include "host/core/due.h"
#include <yarnswift/link.h>

const struct ys_command_row *ys_link_row(const struct ys_host *host, uint8_t command);
/* The connection of the command that runs, or did last. */
struct ys_connection *ys_link_running(struct ys_host *host);

#endif
