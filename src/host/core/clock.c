/* Waking the host's owner. */
#include "host/core/clock.h"

void ys_wake(const struct ys_host *host)
{
    if (host->port->wake != NULL)
        host->port->wake(host->port->context);
}
