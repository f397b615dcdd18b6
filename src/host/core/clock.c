/* Time, and what is due. */
#include "host/core/clock.h"

void ys_wake(const struct ys_host *host)
{
    if (host->port->wake != NULL)
        host->port->wake(host->port->context);
}

uint32_t ys_now_ms(const struct ys_host *host)
{
    return host->port->now_ms(host->port->context);
}
