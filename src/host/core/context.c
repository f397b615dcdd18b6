/* From where a call comes. */
#include "host/core/context.h"

bool ys_in_interrupt(const struct ys_host *host, const char *call)
{
    if (host->port->in_interrupt == NULL || !host->port->in_interrupt(host->port->context))
        return false;
    ys_host_log(host, call, 0);
    ys_host_log(host,
                "was called from an interrupt, where only ys_host_changed, ys_stream_append and ys_work_ask may be", 0);
    return true;
}
