/* HCI commands for connections (Core 5.4 Vol 4 Part E 7.8.18, 7.8.31 to 7.8.33, 7.8.49). */
#include "host/gap/link_commands.h"

#include "host/gap/links.h"
#include "wire/hci.h"
#include "wire/hci_link.h"
#include "wire/link.h"

struct ys_connection *ys_link_running(struct ys_host *host)
{
    return &host->connections[ys_links_of(host)->running_connection];
}

/* Vol 4 Part E 7.8.18, 7.8.33 to 7.8.35, 7.8.46, 7.8.47 to 7.8.49. */
static void compose_link(struct ys_host *host, struct ys_writer *writer)
{
    struct ys_links *links = ys_links_of(host);
    const struct ys_connection *connection = ys_link_running(host);
    const struct ys_link_of *of = &links->of[links->running_connection];
    const struct ys_link_wishes *wishes = of->wishes;
    if (!connection->used || (wishes == NULL && links->running >= DUE_LENGTH)) { /* nobody asks for it any more */
        links->running = DUE_NOTHING;
        return;
    }
    if (links->running == DUE_REFUSAL) {
        ys_put_u16(writer, connection->handle);
        ys_put_u8(writer, YS_HCI_UNACCEPTABLE_PARAMETERS);
    } else if (links->running == DUE_LENGTH) {
        ys_put_u16(writer, connection->handle);
        ys_put_u16(writer, wishes->packet_length);
        ys_put_u16(writer, YS_LINK_TIME_MAX_US);
    } else if (links->running == DUE_PHYS) {
        ys_put_hci_phy_wish(writer, &(struct ys_hci_phy_wish){
                                        .handle = connection->handle,
                                        .all = (uint8_t)((wishes->send_phys == 0) | (wishes->receive_phys == 0) << 1),
                                        .send = wishes->send_phys,
                                        .receive = wishes->receive_phys,
                                        .options = wishes->coding,
                                    });
    } else {
        struct ys_hci_parameters parameters = {.interval_min = of->asked[0],
                                               .interval_max = of->asked[1],
                                               .latency = of->asked[2],
                                               .timeout = of->asked[3]};
        if (links->running == DUE_PARAMETERS)
            parameters = ys_link_wished(wishes);
        parameters.handle = connection->handle;
        if (wishes != NULL)
            parameters.event_length_max = (uint16_t)(wishes->event_length_us / EVENT_LENGTH_STEP);
        ys_put_hci_parameters(writer, &parameters, true);
    }
}

static void complete_link(struct ys_host *host, struct ys_reader *parameters)
{
    (void)parameters;
    ys_links_of(host)->running = DUE_NOTHING;
}

static void link_failed(struct ys_host *host, const char *name, uint8_t status)
{
    struct ys_links *links = ys_links_of(host);
    struct ys_connection *connection = ys_link_running(host);
    uint16_t due = (uint16_t)DUE(links->running);
    links->running = DUE_NOTHING;
    ys_host_log(host, name, status);
    if (connection->used && (due & DUE_AT_ONCE) == 0)
        ys_link_refused(host, connection, due, status);
}

static const struct ys_command_row rows[] = {
    [DUE_ANSWER] = {YS_HCI_LE_PARAMETERS_REPLY, "LE Remote Connection Parameter Request Reply", compose_link,
                    complete_link, link_failed},
    [DUE_REFUSAL] = {YS_HCI_LE_PARAMETERS_NEGATIVE_REPLY, "LE Remote Connection Parameter Request Negative Reply",
                     compose_link, complete_link, link_failed},
    [DUE_UPDATE] = {YS_HCI_LE_CONNECTION_UPDATE, "LE Connection Update", compose_link, complete_link, link_failed},
    [DUE_LENGTH] = {YS_HCI_LE_SET_DATA_LENGTH, "LE Set Data Length", compose_link, complete_link, link_failed},
    [DUE_PHYS] = {YS_HCI_LE_SET_PHY, "LE Set PHY", compose_link, complete_link, link_failed},
    [DUE_PARAMETERS] = {YS_HCI_LE_CONNECTION_UPDATE, "LE Connection Update", compose_link, complete_link, link_failed},
};

const struct ys_command_row *ys_link_row(const struct ys_host *host, uint8_t command)
{
    return command == COMMAND_LINK ? &rows[ys_links_of(host)->running] : NULL;
}
