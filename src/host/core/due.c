/* What the controller is to be told. */
#include "host/core/due.h"

#include "host/core/clock.h"

void ys_commands_want(struct ys_host *host, uint32_t commands)
{
    host->commands_due |= commands;
    ys_wake_owner(host);
}
