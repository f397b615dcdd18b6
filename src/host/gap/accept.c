/* The accept list (Core 5.4 Vol 6 Part B 4.3.1, Vol 4 Part E 7.8.15, 7.8.16). A host that never sets it need not link
 * it. */
#include <yarnswift/host.h>

#include "host/core/context.h"
#include "host/core/due.h"
#include "host/core/events.h"
#include "host/core/state.h"
#include "host/gap/advertising.h"
#include "wire/hci.h"

static bool is_used(struct ys_host *host)
{
    struct ys_set *set;
    for (uint8_t i = 0; (set = ys_set_at(host, i)) != NULL; i++) {
        if (set->advertising != NULL && set->advertising->filter != 0)
            return true;
    }
    bool scans = host->scanning_on || (host->commands_due & BIT(COMMAND_SCAN_ON)) != 0;
    bool ends = (host->commands_due & BIT(COMMAND_SCAN_OFF)) != 0 && (host->commands_due & BIT(COMMAND_SCAN_ON)) == 0;
    return (scans && !ends && host->scanning.listed) || (host->connecting && host->connecting_with.listed);
}

/* Vol 4 Part E 7.8.14 to 7.8.17. */
static void compose_add(struct ys_host *host, struct ys_writer *writer)
{
    ys_put_hci_address(writer, &host->accept_list[host->accept_sent++]);
}

static void add_next(struct ys_host *host, struct ys_reader *parameters)
{
    (void)parameters;
    if (host->accept_sent < host->accept_count)
        ys_commands_want(host, BIT(COMMAND_LIST_ADD));
}

static void accept_failed(struct ys_host *host, const char *name, uint8_t status)
{
    ys_emit(host, &(struct ys_event){.kind = YS_EVENT_ACCEPT_LIST_FAILED, .u.start = {.step = name, .status = status}});
}

static const struct ys_command_row *accept_row(uint8_t command)
{
    static const struct ys_command_row rows[] = {
        {YS_HCI_LE_CLEAR_ACCEPT_LIST, "LE Clear Filter Accept List", NULL, add_next, accept_failed},
        {YS_HCI_LE_ADD_TO_ACCEPT_LIST, "LE Add Device To Filter Accept List", compose_add, add_next, accept_failed},
    };
    return &rows[command - COMMAND_LIST_CLEAR];
}

/* Vol 3 Part C 9.3.5, 9.3.7. */
enum ys_result ys_accept_list_set(struct ys_host *host, const struct ys_address *peers, uint8_t count)
{
    YS_NOT_IN_INTERRUPT(host, "ys_accept_list_set");
    if (host->state != STATE_READY)
        return YS_ERROR_NOT_READY;
    if (count > 0 && peers == NULL)
        return YS_ERROR_ARGUMENT;
    if (is_used(host))
        return YS_ERROR_BUSY;
    host->accept_row = accept_row;
    host->accept_list = peers;
    host->accept_count = count;
    host->accept_sent = 0;
    host->commands_due &= ~BIT(COMMAND_LIST_ADD);
    ys_commands_want(host, BIT(COMMAND_LIST_CLEAR));
    return YS_OK;
}
