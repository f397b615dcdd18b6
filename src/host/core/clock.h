/* Time as the port has it, and what is due: nobody in the host waits. */
#ifndef HOST_CORE_CLOCK_H
#define HOST_CORE_CLOCK_H

#include <yarnswift/host.h>

static inline uint32_t ys_now_ms(const struct ys_host *host)
{
    return host->port->now_ms(host->port->context);
}

/* There is new work: ys_host_run should be called soon. */
void ys_wake(struct ys_host *host);

/* The same for work that is looked at at the end of each turn. */
void ys_wake_owner(const struct ys_host *host);

/* Milliseconds from now until a deadline on a clock that wraps; 0 once it has passed. */
static inline uint32_t ys_until_ms(uint32_t now_ms, uint32_t deadline_ms)
{
    int32_t left = (int32_t)(deadline_ms - now_ms);
    return left > 0 ? (uint32_t)left : 0;
}

#endif
