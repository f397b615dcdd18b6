/* Time, from the port, and deadlines. Nothing in the host waits actively. */
#ifndef HOST_CORE_CLOCK_H
#define HOST_CORE_CLOCK_H

#include <yarnswift/host.h>

uint32_t ys_now_ms(const struct ys_host *host);

/* There is new work: ys_host_run should be called soon. */
void ys_wake(struct ys_host *host);

/* The same for work that is looked at at the end of each turn. */
void ys_wake_owner(const struct ys_host *host);

/* Milliseconds from now until a deadline on a clock that wraps; 0 once it has passed. */
uint32_t ys_until_ms(uint32_t now_ms, uint32_t deadline_ms);

#endif
