/* What a host does only because the firmware uses it. */
#include "host/internal.h"

void ys_extra_add(struct ys_host *host, struct ys_extra *extra, const struct ys_extra_calls *calls, uint32_t le_events)
{
    struct ys_extra **last = &host->extras;
    while (*last != NULL && *last != extra)
        last = &(*last)->next;
    *last = extra;
    *extra = (struct ys_extra){.calls = calls};
    host->le_events |= le_events;
}

struct ys_extra *ys_extra_find(const struct ys_host *host, const struct ys_extra_calls *calls)
{
    struct ys_extra *extra = host->extras;
    while (extra != NULL && extra->calls != calls)
        extra = extra->next;
    return extra;
}

const struct ys_command_row *ys_extra_no_row(const struct ys_host *host, uint8_t command)
{
    (void)host;
    (void)command;
    return NULL;
}

void ys_extra_no_event(struct ys_host *host, uint8_t event, const struct ys_reader *parameters)
{
    (void)host;
    (void)event;
    (void)parameters;
}

bool ys_extra_no_frame(struct ys_host *host, struct ys_connection *connection, uint16_t channel, const uint8_t *pdu,
                       size_t length)
{
    (void)host;
    (void)connection;
    (void)channel;
    (void)pdu;
    (void)length;
    return false;
}

uint32_t ys_extra_no_run(struct ys_host *host, uint32_t now_ms)
{
    (void)host;
    (void)now_ms;
    return YS_FOREVER;
}

void ys_extra_no_connection(struct ys_host *host, struct ys_connection *connection)
{
    (void)host;
    (void)connection;
}
