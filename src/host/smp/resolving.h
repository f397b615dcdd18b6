/* The controller's resolving list. */
#ifndef HOST_SMP_RESOLVING_H
#define HOST_SMP_RESOLVING_H

#include "host/core/due.h"
#include <yarnswift/pairing.h>

const struct ys_command_row *ys_resolving_row(const struct ys_host *host);
/* Brings the controller's list to what is remembered, if that has changed. */
void ys_resolving_run(struct ys_host *host);

#endif
