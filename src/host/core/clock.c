/* Waking the host's owner. */
#include "host/core/clock.h"

#include "host/core/bits.h"

uint32_t ys_now_ms(const struct ys_host *host)
{
    return host->port->now_ms(host->port->context);
}

uint32_t ys_until_ms(uint32_t now_ms, uint32_t deadline_ms)
{
    int32_t left = (int32_t)(deadline_ms - now_ms);
    return left > 0 ? (uint32_t)left : 0;
}

uint32_t ys_host_now_ms(const struct ys_host *host)
{
    return ys_now_ms(host);
}

uint32_t ys_host_now_us(const struct ys_host *host)
{
    return host->port->now_us != NULL ? host->port->now_us(host->port->context) : ys_now_ms(host) * 1000;
}

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
