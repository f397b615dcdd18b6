/* A connection begins: by advertising or by connecting (Core 5.4 Vol 4 Part E 7.7.65.1). */
#include "host/gap/connecting.h"

#include <string.h>

#include <yarnswift/sets.h>

#include "host/core/connections.h"
#include "host/core/events.h"
#include "host/core/extras.h"
#include "host/core/hooks.h"
#include "host/gap/advertising.h"
#include "wire/att.h"

/* More connections arrived than there is room for, which can happen when several ways to connect are open at once. */
static void refuse_connection(struct ys_host *host, uint16_t handle)
{
    if (host->unfit_count < sizeof host->unfit / sizeof host->unfit[0])
        host->unfit[host->unfit_count++] = handle;
    ys_commands_want(host, BIT(COMMAND_DISCONNECT));
    ys_emit_plain(host, YS_EVENT_CONNECT_FAILED, 0, YS_HCI_CONNECTION_LIMIT);
}

static void take_connection(struct ys_host *host, const struct ys_hci_connection *complete)
{
    struct ys_connection *connection = ys_connection_free(host);
    if (ys_connection_find(host, complete->handle) != NULL) {
        ys_host_log(host, "the controller made a connection that there is already, handle", complete->handle);
        return;
    }
    if (connection == NULL) {
        refuse_connection(host, complete->handle);
        return;
    }
    memset(connection, 0, sizeof *connection);
    connection->used = true;
    if (connection >= host->connections + host->connection_end)
        host->connection_end = (uint8_t)(connection - host->connections + 1);
    connection->role = complete->role;
    connection->handle = complete->handle;
    connection->peer = complete->peer;
    connection->mtu = YS_ATT_MTU_DEFAULT;
    ys_extras_tell(host, connection, complete);
    ys_emit(host, &(struct ys_event){
                      .kind = YS_EVENT_CONNECTED,
                      .connection = complete->handle,
                      .u.connected = {.peer = complete->peer,
                                      .role = complete->role == 0 ? YS_ROLE_CENTRAL : YS_ROLE_PERIPHERAL,
                                      .interval_us = (uint32_t)complete->interval * INTERVAL_STEP_US,
                                      .latency = complete->latency,
                                      .supervision_timeout_ms = (uint16_t)(complete->timeout * 10)},
                  });
}

/* Vol 4 Part E 7.7.65.1, 7.7.65.10. */
void ys_gap_connection_complete(struct ys_host *host, const struct ys_hci_connection *complete)
{
    bool central = complete->role == 0;
    /* Vol 4 Part E 7.8.9: directed, high duty cycle, and no central connected */
    if (complete->status == YS_HCI_ADVERTISING_TIMEOUT) {
        host->first_set.on = false;
        if (host->first_set.advertising != NULL)
            ys_set_ended(host, &host->first_set, complete->status);
        return;
    }
    if (complete->status != YS_HCI_OK) {
        if (host->connecting)
            host->central->failed(host, complete->status);
        return;
    }
    if (central)
        host->connecting = false;
    take_connection(host, complete);
    if (!central && (host->sets == NULL || !host->sets->active)) /* otherwise the controller tells which set it was */
        ys_set_connected(host, &host->first_set);
    else
        ys_gap_restart_advertising(host);
}
