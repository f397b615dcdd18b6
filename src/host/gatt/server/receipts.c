/* Receipts: a list of values in transit, in the order in which they were sent. */
#include <string.h>
#include <yarnswift/outbox.h>

#include "host/core/clock.h"
#include "host/core/connections.h"
#include "host/core/context.h"
#include "host/core/events.h"
#include "host/core/extras.h"
#include "host/gatt/server/notify.h"

static void remove_at(struct ys_receipts *receipts, uint8_t index)
{
    receipts->count--;
    memmove(&receipts->receipts[index], &receipts->receipts[index + 1],
            (size_t)(receipts->count - index) * sizeof receipts->receipts[0]);
}

static void sent(struct ys_host *host, const struct ys_connection *connection, uint16_t handle, bool indicated)
{
    struct ys_receipts *receipts = host->receipts; /* with room, see ys_notify_fits */
    receipts->receipts[receipts->count++] = (struct ys_receipt){
        .connection = connection->handle,
        .handle = handle,
        .mark = ys_notify_mark(connection),
        .kind = indicated ? YS_BY_INDICATION : YS_BY_NOTIFICATION,
    };
    ys_wake(host);
}

static void connection_ended(struct ys_host *host, struct ys_connection *connection,
                             const struct ys_hci_connection *made)
{
    for (uint8_t i = 0; made == NULL && i < host->receipts->count;) {
        if (host->receipts->receipts[i].connection == connection->handle)
            remove_at(host->receipts, i);
        else
            i++;
    }
}

static void tell(struct ys_host *host, enum ys_event_kind kind, const struct ys_receipt *receipt)
{
    ys_emit(host, &(struct ys_event){
                      .kind = kind,
                      .connection = receipt->connection,
                      .u.receipt = {.handle = receipt->handle, .kind = (enum ys_notification_kind)receipt->kind},
                  });
}

static uint32_t run(struct ys_host *host, uint32_t now_ms)
{
    struct ys_receipts *receipts = host->receipts;
    (void)now_ms;
    for (uint8_t i = 0; i < receipts->count;) {
        struct ys_receipt receipt = receipts->receipts[i];
        bool arrived = ys_notify_has_arrived(ys_connection_find(host, receipt.connection), receipt.handle,
                                             receipt.kind == YS_BY_INDICATION, receipt.mark);
        receipts->receipts[i].told = true;
        if (arrived)
            remove_at(receipts, i);
        else
            i++;
        if (!receipt.told)
            tell(host, YS_EVENT_SENT, &receipt);
        if (arrived)
            tell(host, YS_EVENT_ARRIVED, &receipt);
    }
    return YS_FOREVER;
}

enum ys_result ys_host_use_receipts(struct ys_host *host, struct ys_receipts *receipts, struct ys_receipt *memory,
                                    uint8_t size)
{
    static const struct ys_extra_calls calls = {
        .kind = YS_EXTRA_RECEIPTS, .run = run, .connection = connection_ended, .sent = sent};
    YS_NOT_IN_INTERRUPT(host, "ys_host_use_receipts");
    if (receipts == NULL || memory == NULL || size == 0)
        return YS_ERROR_ARGUMENT;
    *receipts = (struct ys_receipts){.receipts = memory, .size = size};
    host->receipts = receipts;
    ys_extra_add(host, &receipts->extra, &calls, 0);
    return YS_OK;
}
