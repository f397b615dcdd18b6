/* What a host does only because the firmware uses it. */
#include "host/core/extras.h"

void ys_extra_add(struct ys_host *host, struct ys_extra *extra, const struct ys_extra_calls *calls, uint32_t le_events)
{
    struct ys_extra **last = &host->extras;
    while (*last != NULL && *last != extra)
        last = &(*last)->next;
    *last = extra;
    *extra = (struct ys_extra){.calls = calls};
    host->le_events |= le_events;
}

struct ys_extra *ys_extra_find(const struct ys_host *host, enum ys_extra_kind kind)
{
    struct ys_extra *extra = host->extras;
    while (extra != NULL && extra->calls->kind != kind)
        extra = extra->next;
    return extra;
}

void ys_extras_tell(struct ys_host *host, struct ys_connection *connection, const struct ys_hci_connection *made)
{
    for (const struct ys_extra *extra = host->extras; extra != NULL; extra = extra->next) {
        if (extra->calls->connection != NULL)
            extra->calls->connection(host, connection, made);
    }
}
