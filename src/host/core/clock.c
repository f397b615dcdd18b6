/* Waking the host's owner. */
#include "host/core/clock.h"

#include "host/core/bits.h"

void ys_wake_owner(const struct ys_host *host)
{
    if (host->port->wake != NULL)
        host->port->wake(host->port->context);
}

void ys_wake(struct ys_host *host)
{
    YS_STORE(host->woken, 1); /* a handler may have made it for a part that has had its turn */
    ys_wake_owner(host);
}
