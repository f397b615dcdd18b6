/* What the firmware is told. */
#include "host/core/events.h"

void ys_emit(struct ys_host *host, const struct ys_event *event)
{
    if (host->settings.on_event != NULL)
        host->settings.on_event(host, host->settings.context, event);
}

void ys_emit_plain(struct ys_host *host, enum ys_event_kind kind, uint16_t connection, uint8_t reason)
{
    ys_emit(host, &(struct ys_event){.kind = kind, .connection = connection, .reason = reason});
}

void ys_host_log(const struct ys_host *host, const char *text, uint32_t value)
{
    if (host->port->log != NULL)
        host->port->log(host->port->context, text, value);
}
