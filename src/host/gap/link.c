/* Parameters of connections: requests of the firmware, and answers to requests of the peer. */
#include <string.h>
#include <yarnswift/link.h>

#include "host/core/bits.h"
#include "host/core/clock.h"
#include "host/core/connections.h"
#include "host/core/context.h"
#include "host/core/extras.h"
#include "host/core/state.h"
#include "host/gap/connecting.h"
#include "host/gap/link_commands.h"
#include "host/gap/link_signals.h"
#include "host/gap/links.h"
#include "wire/hci.h"
#include "wire/hci_link.h"
#include "wire/link.h"

/* Vol 4 Part E 7.7.65.3. */
static void link_updated(struct ys_host *host, struct ys_reader *parameters)
{
    struct ys_hci_update update;
    ys_get_hci_update(parameters, &update);
    struct ys_connection *connection = ys_connection_find(host, update.handle);
    if (!ys_reader_ok(parameters) || connection == NULL)
        return;
    struct ys_link_state *state = &ys_link_of_connection(host, connection)->state;
    if (update.status != YS_HCI_OK) {
        ys_link_refused(host, connection, DUE(DUE_PARAMETERS), update.status);
        return;
    }
    state->interval_us = (uint32_t)update.interval * INTERVAL_STEP_US;
    state->latency = update.latency;
    state->supervision_timeout_ms = (uint16_t)(update.timeout * TIMEOUT_STEP_MS);
    ys_link_tell(host, connection, YS_EVENT_LINK_CHANGED, YS_LINK_PARAMETERS, YS_HCI_OK);
}

/* Vol 4 Part E 7.7.65.6, 7.8.31, 7.8.32. */
static void link_asked(struct ys_host *host, struct ys_reader *parameters)
{
    struct ys_hci_parameters wanted;
    ys_get_hci_parameters(parameters, &wanted, false);
    struct ys_connection *connection = ys_connection_find(host, wanted.handle & 0x0fff);
    if (!ys_reader_ok(parameters) || connection == NULL)
        return;
    uint16_t *into = ys_link_of_connection(host, connection)->asked;
    into[0] = wanted.interval_min;
    into[1] = wanted.interval_max;
    into[2] = wanted.latency;
    into[3] = wanted.timeout;
    ys_link_answer(host, connection, DUE(DUE_ANSWER), DUE(DUE_REFUSAL));
}

/* Vol 4 Part E 7.7.65.7. */
static void length_changed(struct ys_host *host, struct ys_reader *parameters)
{
    struct ys_hci_length length;
    ys_get_hci_length(parameters, &length);
    struct ys_connection *connection = ys_connection_find(host, length.handle);
    if (!ys_reader_ok(parameters) || connection == NULL)
        return;
    struct ys_link_state *state = &ys_link_of_connection(host, connection)->state;
    state->send_length = (uint8_t)length.send_octets;
    state->receive_length = (uint8_t)length.receive_octets;
    ys_link_tell(host, connection, YS_EVENT_LINK_CHANGED, YS_LINK_LENGTH, YS_HCI_OK);
}

/* Vol 4 Part E 7.7.65.12. */
static void phys_changed(struct ys_host *host, struct ys_reader *parameters)
{
    struct ys_hci_phy_update update;
    ys_get_hci_phy_update(parameters, &update);
    struct ys_connection *connection = ys_connection_find(host, update.handle);
    if (!ys_reader_ok(parameters) || connection == NULL)
        return;
    if (update.status != YS_HCI_OK) {
        ys_link_refused(host, connection, DUE(DUE_PHYS), update.status);
        return;
    }
    if (!ys_in_range(update.send, 1, 3) || !ys_in_range(update.receive, 1, 3))
        return;
    struct ys_link_state *state = &ys_link_of_connection(host, connection)->state;
    state->send_phy = (uint8_t)(1u << (update.send - 1));
    state->receive_phy = (uint8_t)(1u << (update.receive - 1));
    ys_link_tell(host, connection, YS_EVENT_LINK_CHANGED, YS_LINK_PHYS, YS_HCI_OK);
}

/* What this side asks for of a connection as it is. */
static void want_wishes(struct ys_host *host, struct ys_link_of *of)
{
    const struct ys_link_wishes *wishes = of->wishes;
    const struct ys_link_state *state = &of->state;
    uint16_t due = 0;
    if (wishes == NULL)
        return;
    if (wishes->packet_length > state->send_length)
        due |= DUE(DUE_LENGTH);
    if (wishes->send_phys != 0 || wishes->receive_phys != 0)
        due |= DUE(DUE_PHYS);
    if (wishes->interval_max_us != 0 &&
        (!ys_in_range(state->interval_us, wishes->interval_min_us, wishes->interval_max_us) ||
         state->latency != wishes->latency || state->supervision_timeout_ms != wishes->supervision_timeout_ms))
        due |= DUE(DUE_PARAMETERS);
    of->tries = 0;
    ys_link_want(host, of, due);
}

/* events */

static void link_event(struct ys_host *host, uint8_t event, const struct ys_reader *parameters)
{
    struct ys_reader reader = *parameters;
    if (event != YS_HCI_LE_META || host->state != STATE_READY)
        return;
    switch (ys_get_u8(&reader)) {
    case YS_HCI_LE_CONNECTION_UPDATE_COMPLETE:
        link_updated(host, &reader);
        break;
    case YS_HCI_LE_PARAMETERS_REQUEST:
        link_asked(host, &reader);
        break;
    case YS_HCI_LE_DATA_LENGTH_CHANGE:
        length_changed(host, &reader);
        break;
    case YS_HCI_LE_PHY_UPDATE_COMPLETE:
        phys_changed(host, &reader);
        break;
    default:
        break;
    }
}

/* the work */

static uint8_t lowest(uint16_t due)
{
    uint8_t bit = 0;
    while ((due >> bit & 1) == 0)
        bit++;
    return bit;
}

/* Does the next of what is due for a connection; what is asked for waits for its time.
 *
 *   wished --its time has come--> due --the controller is told--> running --done: the shape has changed--> nothing
 *                                                                 running --a collision--> wished again, a second later
 *                                                                 running --refused--> the firmware is told
 *   a peripheral's parameters, where the controllers cannot: running --> due as a signal --the other host answers-->
 *   asked by the other side: due at once as an answer or a refusal, by the controller or as a signal, as it was asked
 *
 * One thing of all connections is running at a time: `links->running`, of `links->running_connection`. */
static void run_link(struct ys_host *host, struct ys_links *links, uint8_t index)
{
    struct ys_link_of *of = &links->of[index];
    uint16_t due =
        of->timed ? (uint16_t)(of->due & (DUE_AT_ONCE | DUE(DUE_SIGNAL_ANSWER) | DUE(DUE_SIGNAL_REFUSAL))) : of->due;
    for (unsigned bit = DUE_SIGNAL; bit < DUE_NOTHING; bit++) {
        if ((due >> bit & 1) != 0 && ys_link_send_signal(host, &host->connections[index], (uint8_t)bit))
            of->due = (uint16_t)(of->due & ~DUE(bit));
    }
    due &= DUE_BY_COMMAND;
    if (due == 0 || links->running != DUE_NOTHING)
        return;
    links->running = lowest(due);
    links->running_connection = index;
    of->due = (uint16_t)(of->due & ~DUE(links->running));
    ys_commands_want(host, BIT(COMMAND_LINK));
}

static uint32_t run_links(struct ys_host *host, uint32_t now_ms)
{
    struct ys_links *links = ys_links_of(host);
    uint32_t wait_ms = YS_FOREVER;
    if ((host->commands_due & BIT(COMMAND_LINK)) == 0 && host->command_running != COMMAND_LINK)
        links->running = DUE_NOTHING; /* the host has been started anew meanwhile */
    for (uint8_t i = 0; i < host->connection_end; i++) {
        struct ys_link_of *of = &links->of[i];
        if (!host->connections[i].used)
            continue;
        if (of->due != 0) {
            uint32_t until_ms = of->timed ? ys_until_ms(now_ms, of->at_ms) : 0;
            if (until_ms == 0)
                of->timed = false;
            else if (until_ms < wait_ms)
                wait_ms = until_ms;
            run_link(host, links, i);
        }
        if (of->identifier == 0)
            continue;
        uint32_t left_ms = ys_until_ms(now_ms, of->answer_ms);
        wait_ms = left_ms < wait_ms ? left_ms : wait_ms;
        if (left_ms == 0) {
            of->identifier = 0;
            ys_link_tell(host, &host->connections[i], YS_EVENT_LINK_REFUSED, YS_LINK_PARAMETERS, YS_HCI_TIMEOUT);
        }
    }
    return wait_ms;
}

/* connections */

static void link_made(struct ys_host *host, struct ys_connection *connection, const struct ys_hci_connection *made)
{
    struct ys_link_of *of = ys_link_of_connection(host, connection);
    *of = (struct ys_link_of){
        .wishes = ys_links_of(host)->wishes,
        .state = {.interval_us = (uint32_t)made->interval * INTERVAL_STEP_US,
                  .latency = made->latency,
                  .supervision_timeout_ms = (uint16_t)(made->timeout * TIMEOUT_STEP_MS),
                  .send_phy = YS_1M,
                  .receive_phy = YS_1M,
                  .send_length = YS_LINK_PAYLOAD_DEFAULT,
                  .receive_length = YS_LINK_PAYLOAD_DEFAULT},
    };
    if (of->wishes != NULL && of->wishes->pause_ms > 0) {
        of->timed = true;
        of->at_ms = ys_now_ms(host) + of->wishes->pause_ms;
    }
    want_wishes(host, of);
}

static void link_ended(struct ys_host *host, struct ys_connection *connection)
{
    struct ys_links *links = ys_links_of(host);
    *ys_link_of_connection(host, connection) = (struct ys_link_of){.due = 0};
    /* what the controller was about to be told of it, it is told no more */
    if (ys_link_running(host) == connection && host->command_running != COMMAND_LINK) {
        host->commands_due &= ~BIT(COMMAND_LINK);
        links->running = DUE_NOTHING;
    }
}

/* Vol 3 Part C 9.3.12. */
static void link_connection(struct ys_host *host, struct ys_connection *connection,
                            const struct ys_hci_connection *made)
{
    if (made != NULL)
        link_made(host, connection, made);
    else
        link_ended(host, connection);
}

static const struct ys_extra_calls links_extra = {
    .kind = YS_EXTRA_LINKS,
    .row = ys_link_row,
    .event = link_event,
    .receive = ys_link_frame,
    .run = run_links,
    .connection = link_connection,
};

/* calls */

static bool wishes_are_valid(const struct ys_link_wishes *wishes)
{
    const uint8_t all_phys = YS_1M | YS_2M | YS_CODED;
    const struct ys_hci_parameters parameters = ys_link_wished(wishes);
    return (wishes->interval_max_us == 0 ||
            (ys_in_range(wishes->interval_min_us, 7500, wishes->interval_max_us) &&
             wishes->interval_max_us <= 4000000 &&
             ys_link_parameters_are_valid(parameters.interval_max, parameters.latency, parameters.timeout))) &&
           (wishes->packet_length == 0 ||
            ys_in_range(wishes->packet_length, YS_LINK_PAYLOAD_DEFAULT, YS_LINK_PAYLOAD_MAX)) &&
           ((wishes->send_phys | wishes->receive_phys) & ~all_phys) == 0 && wishes->coding <= YS_CODING_S8 &&
           wishes->accepts <= YS_LINK_REFUSE && wishes->event_length_us <= UINT16_MAX * EVENT_LENGTH_STEP;
}

enum ys_result ys_host_use_links(struct ys_host *host, struct ys_links *links, const struct ys_link_wishes *wishes)
{
    if (wishes != NULL && !wishes_are_valid(wishes))
        return YS_ERROR_ARGUMENT;
    memset(links, 0, sizeof *links);
    links->wishes = wishes;
    links->running = DUE_NOTHING;
    ys_extra_add(host, &links->extra, &links_extra, (uint32_t)YS_HCI_LE_EVENT_MASK_LINK);
    return YS_OK;
}

static struct ys_link_of *find_link(const struct ys_host *host, uint16_t connection, enum ys_result *result)
{
    struct ys_links *links = ys_links_of(host);
    *result = links == NULL ? YS_ERROR_UNSUPPORTED : YS_ERROR_NO_CONNECTION;
    for (size_t i = 0; links != NULL && i < YS_CONNECTIONS; i++) {
        if (!host->connections[i].used || host->connections[i].handle != connection)
            continue;
        *result = YS_OK;
        return &links->of[i];
    }
    return NULL;
}

enum ys_result ys_link_ask(struct ys_host *host, uint16_t connection, const struct ys_link_wishes *wishes)
{
    enum ys_result result;
    YS_NOT_IN_INTERRUPT(host, "ys_link_ask");
    struct ys_link_of *of = find_link(host, connection, &result);
    if (of == NULL)
        return result;
    if (wishes == NULL || !wishes_are_valid(wishes))
        return YS_ERROR_ARGUMENT;
    of->wishes = wishes;
    of->timed = false;
    want_wishes(host, of);
    return YS_OK;
}

enum ys_result ys_link_get(const struct ys_host *host, uint16_t connection, struct ys_link_state *state)
{
    enum ys_result result;
    const struct ys_link_of *of = find_link(host, connection, &result);
    if (of != NULL)
        *state = of->state;
    return result;
}
