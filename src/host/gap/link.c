/* The shape of connections: what the firmware wants is asked for, what the other side wants is answered.
 *
 * What is to be done for a connection is a set of bits, of which the lowest goes first. Those that the controller is
 * told go one at a time, as commands; the others are signalling commands of L2CAP (Core 5.4 Vol 3 Part A 4.20, 4.21),
 * with which a peripheral asks where the controllers cannot. */
#include <yarnswift/link.h>

#include <string.h>

#include "host/core/bits.h"
#include "host/core/clock.h"
#include "host/core/connections.h"
#include "host/core/context.h"
#include "host/core/due.h"
#include "host/core/events.h"
#include "host/core/extras.h"
#include "host/core/state.h"
#include "host/gap/connecting.h"
#include "host/l2cap/frames.h"
#include "wire/hci.h"
#include "wire/hci_link.h"
#include "wire/link.h"

enum due {
    DUE_ANSWER, /* to the parameters that the other side asks for: yes; no: */
    DUE_REFUSAL,
    DUE_UPDATE, /* the parameters that the other host asked for */
    DUE_LENGTH, /* what this side asks for; likewise: */
    DUE_PHYS,
    DUE_PARAMETERS,
    DUE_SIGNAL, /* the same from the other host; from here on no commands */
    DUE_SIGNAL_ANSWER,
    DUE_SIGNAL_REFUSAL,
    DUE_NOTHING
};

#define DUE(due)          (1u << (due))
#define DUE_AT_ONCE       (DUE(DUE_ANSWER) | DUE(DUE_REFUSAL) | DUE(DUE_UPDATE))
#define DUE_BY_COMMAND    (DUE(DUE_SIGNAL) - 1)
#define SAME_AGAIN_MS     1000 /* after a collision */
#define TRIES_MOST        4
#define TIMEOUT_STEP_MS   10
#define EVENT_LENGTH_STEP 625

static const struct ys_extra_calls calls;

static struct ys_links *links_of(const struct ys_host *host)
{
    return (struct ys_links *)ys_extra_find(host, &calls);
}

static struct ys_link_of *of_connection(struct ys_host *host, const struct ys_connection *connection)
{
    return &links_of(host)->of[connection - host->connections];
}

static void want(struct ys_host *host, struct ys_link_of *of, uint16_t due)
{
    of->due |= due;
    ys_wake(host);
}

static void tell(struct ys_host *host, const struct ys_connection *connection, enum ys_event_kind kind,
                 enum ys_link_matter matter, uint8_t reason)
{
    ys_emit(host, &(struct ys_event){
                      .kind = kind,
                      .connection = connection->handle,
                      .reason = reason,
                      .u.link = {.matter = (uint8_t)matter, .state = &of_connection(host, connection)->state}});
}

/* What was asked for came to nothing; if only for a collision, it is asked again after a while. */
static void refused(struct ys_host *host, struct ys_connection *connection, uint16_t due, uint8_t status)
{
    struct ys_link_of *of = of_connection(host, connection);
    bool again =
        status == YS_HCI_COLLISION || status == YS_HCI_DIFFERENT_COLLISION || status == YS_HCI_COMMAND_DISALLOWED;
    bool cannot =
        status == YS_HCI_UNSUPPORTED || status == YS_HCI_UNSUPPORTED_REMOTE || status == YS_HCI_UNKNOWN_COMMAND;
    if (again && of->tries < TRIES_MOST) {
        of->tries++;
        of->timed = true;
        of->at_ms = ys_now_ms(host) + SAME_AGAIN_MS;
        want(host, of, due);
    } else if (cannot && due == DUE(DUE_PARAMETERS) && connection->role != 0) {
        want(host, of, DUE(DUE_SIGNAL));
    } else {
        enum ys_link_matter matter = due == DUE(DUE_LENGTH) ? YS_LINK_LENGTH
                                     : due == DUE(DUE_PHYS) ? YS_LINK_PHYS
                                                            : YS_LINK_PARAMETERS;
        tell(host, connection, YS_EVENT_LINK_REFUSED, matter, status);
    }
}

/* the commands */

static struct ys_connection *running_connection(struct ys_host *host)
{
    return &host->connections[links_of(host)->running_connection];
}

static struct ys_hci_parameters wished(const struct ys_link_wishes *wishes)
{
    return (struct ys_hci_parameters){
        .interval_min = (uint16_t)(wishes->interval_min_us / INTERVAL_STEP_US),
        .interval_max = (uint16_t)(wishes->interval_max_us / INTERVAL_STEP_US),
        .latency = wishes->latency,
        .timeout = (uint16_t)(wishes->supervision_timeout_ms / TIMEOUT_STEP_MS),
    };
}

static void compose(struct ys_host *host, struct ys_writer *writer)
{
    const struct ys_links *links = links_of(host);
    const struct ys_connection *connection = running_connection(host);
    const struct ys_link_of *of = &links->of[links->running_connection];
    const struct ys_link_wishes *wishes = of->wishes;
    if (wishes == NULL && links->running >= DUE_LENGTH)
        return; /* its connection has ended: without parameters it is refused, and nothing comes of it */
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
            parameters = wished(wishes);
        parameters.handle = connection->handle;
        if (wishes != NULL)
            parameters.event_length_max = (uint16_t)(wishes->event_length_us / EVENT_LENGTH_STEP);
        ys_put_hci_parameters(writer, &parameters, true);
    }
}

static void complete(struct ys_host *host, struct ys_reader *parameters)
{
    (void)parameters;
    links_of(host)->running = DUE_NOTHING;
}

static void failed(struct ys_host *host, const char *name, uint8_t status)
{
    struct ys_links *links = links_of(host);
    struct ys_connection *connection = running_connection(host);
    uint16_t due = (uint16_t)DUE(links->running);
    links->running = DUE_NOTHING;
    ys_host_log(host, name, status);
    if (connection->used && (due & DUE_AT_ONCE) == 0)
        refused(host, connection, due, status);
}

static const struct ys_command_row rows[] = {
    [DUE_ANSWER] = {YS_HCI_LE_PARAMETERS_REPLY, "LE Remote Connection Parameter Request Reply", compose, complete,
                    failed},
    [DUE_REFUSAL] = {YS_HCI_LE_PARAMETERS_NEGATIVE_REPLY, "LE Remote Connection Parameter Request Negative Reply",
                     compose, complete, failed},
    [DUE_UPDATE] = {YS_HCI_LE_CONNECTION_UPDATE, "LE Connection Update", compose, complete, failed},
    [DUE_LENGTH] = {YS_HCI_LE_SET_DATA_LENGTH, "LE Set Data Length", compose, complete, failed},
    [DUE_PHYS] = {YS_HCI_LE_SET_PHY, "LE Set PHY", compose, complete, failed},
    [DUE_PARAMETERS] = {YS_HCI_LE_CONNECTION_UPDATE, "LE Connection Update", compose, complete, failed},
};

static const struct ys_command_row *command_row(const struct ys_host *host, uint8_t command)
{
    return command == COMMAND_LINK ? &rows[links_of(host)->running] : NULL;
}

/* the signalling commands */

static void put_parameters(struct ys_writer *writer, const struct ys_hci_parameters *parameters)
{
    ys_put_u16(writer, parameters->interval_min);
    ys_put_u16(writer, parameters->interval_max);
    ys_put_u16(writer, parameters->latency);
    ys_put_u16(writer, parameters->timeout);
}

/* Sends a signalling command if it fits now. */
static bool send_signal(struct ys_host *host, struct ys_connection *connection, uint8_t due)
{
    struct ys_links *links = links_of(host);
    struct ys_link_of *of = of_connection(host, connection);
    struct ys_l2cap_signal signal = {.code = YS_L2CAP_PARAMETER_RSP, .identifier = of->peer_identifier, .length = 2};
    if (!ys_l2cap_fits(host, connection, YS_L2CAP_SIGNAL_MAX))
        return false;
    if (due == DUE_SIGNAL) {
        links->last_identifier = links->last_identifier < 0x7f ? (uint8_t)(links->last_identifier + 1) : 1;
        of->identifier = links->last_identifier;
        signal = (struct ys_l2cap_signal){.code = YS_L2CAP_PARAMETER_REQ, .identifier = of->identifier, .length = 8};
    }
    struct ys_writer writer = ys_l2cap_writer(&host->outgoing, YS_L2CAP_SIGNAL_MAX);
    ys_put_l2cap_signal(&writer, &signal);
    if (due == DUE_SIGNAL) {
        const struct ys_hci_parameters parameters = wished(of->wishes);
        put_parameters(&writer, &parameters);
    } else {
        ys_put_u16(&writer, due == DUE_SIGNAL_REFUSAL);
    }
    ys_l2cap_seal(&host->outgoing, YS_L2CAP_SIGNALLING, ys_writer_stored(&writer));
    ys_l2cap_send(host, connection);
    return true;
}

/* What the other side asks for: whether it may have it. */
static bool is_accepted(const struct ys_link_of *of)
{
    const struct ys_link_wishes *wishes = of->wishes;
    if (of->asked[0] < 6 || of->asked[0] > of->asked[1] ||
        !ys_link_parameters_are_valid(of->asked[1], of->asked[2], of->asked[3]))
        return false;
    if (wishes == NULL || wishes->accepts == YS_LINK_ACCEPT || wishes->interval_max_us == 0)
        return wishes == NULL || wishes->accepts != YS_LINK_REFUSE;
    return wishes->accepts == YS_LINK_ACCEPT_WITHIN && of->asked[2] <= wishes->latency &&
           (uint32_t)of->asked[0] * INTERVAL_STEP_US <= wishes->interval_max_us &&
           (uint32_t)of->asked[1] * INTERVAL_STEP_US >= wishes->interval_min_us;
}

/* Of a range, only what is wanted here, too. */
static void narrow(struct ys_link_of *of)
{
    const struct ys_link_wishes *wishes = of->wishes;
    if (wishes == NULL || wishes->accepts != YS_LINK_ACCEPT_WITHIN || wishes->interval_max_us == 0)
        return;
    const struct ys_hci_parameters own = wished(wishes);
    if (own.interval_min > of->asked[0])
        of->asked[0] = own.interval_min;
    if (own.interval_max < of->asked[1])
        of->asked[1] = own.interval_max;
}

/* The other side asks for other parameters: decides, and does the one thing or the other. */
static void answer(struct ys_host *host, struct ys_connection *connection, uint16_t yes, uint16_t no)
{
    struct ys_link_of *of = of_connection(host, connection);
    bool accepted = is_accepted(of);
    ys_host_log(host,
                accepted ? "accepts a connection interval of at most, us" : "refuses a connection interval of, us",
                (uint32_t)of->asked[1] * INTERVAL_STEP_US);
    if (accepted)
        narrow(of);
    want(host, of, accepted ? yes : no);
}

static bool frame_in(struct ys_host *host, struct ys_connection *connection, uint16_t channel, const uint8_t *pdu,
                     size_t length)
{
    struct ys_reader reader = ys_reader_of(pdu, length);
    struct ys_link_of *of = of_connection(host, connection);
    struct ys_l2cap_signal signal;
    if (channel != YS_L2CAP_SIGNALLING)
        return false;
    ys_get_l2cap_signal(&reader, &signal);
    bool own = ys_reader_ok(&reader) && signal.identifier != 0 && signal.identifier == of->identifier;
    if (own && (signal.code == YS_L2CAP_PARAMETER_RSP || signal.code == YS_L2CAP_COMMAND_REJECT)) {
        uint16_t result = ys_get_u16(&reader);
        of->identifier = 0;
        if (signal.code == YS_L2CAP_COMMAND_REJECT || result != 0)
            tell(host, connection, YS_EVENT_LINK_REFUSED, YS_LINK_PARAMETERS, YS_HCI_UNACCEPTABLE_PARAMETERS);
        return true;
    }
    if (signal.code != YS_L2CAP_PARAMETER_REQ || connection->role != 0) /* it is for centrals only */
        return false;
    for (size_t i = 0; i < 4; i++)
        of->asked[i] = ys_get_u16(&reader);
    if (!ys_reader_done(&reader) || signal.identifier == 0)
        return false;
    of->peer_identifier = signal.identifier;
    answer(host, connection, DUE(DUE_SIGNAL_ANSWER) | DUE(DUE_UPDATE), DUE(DUE_SIGNAL_REFUSAL));
    return true;
}

/* the events */

static void updated(struct ys_host *host, struct ys_reader *parameters)
{
    struct ys_hci_update update;
    ys_get_hci_update(parameters, &update);
    struct ys_connection *connection = ys_connection_find(host, update.handle);
    if (!ys_reader_ok(parameters) || connection == NULL)
        return;
    struct ys_link_state *state = &of_connection(host, connection)->state;
    if (update.status != YS_HCI_OK) {
        refused(host, connection, DUE(DUE_PARAMETERS), update.status);
        return;
    }
    state->interval_us = (uint32_t)update.interval * INTERVAL_STEP_US;
    state->latency = update.latency;
    state->supervision_timeout_ms = (uint16_t)(update.timeout * TIMEOUT_STEP_MS);
    tell(host, connection, YS_EVENT_LINK_CHANGED, YS_LINK_PARAMETERS, YS_HCI_OK);
}

static void asked(struct ys_host *host, struct ys_reader *parameters)
{
    struct ys_hci_parameters wanted;
    ys_get_hci_parameters(parameters, &wanted, false);
    struct ys_connection *connection = ys_connection_find(host, wanted.handle & 0x0fff);
    if (!ys_reader_ok(parameters) || connection == NULL)
        return;
    uint16_t *into = of_connection(host, connection)->asked;
    into[0] = wanted.interval_min;
    into[1] = wanted.interval_max;
    into[2] = wanted.latency;
    into[3] = wanted.timeout;
    answer(host, connection, DUE(DUE_ANSWER), DUE(DUE_REFUSAL));
}

static void length_changed(struct ys_host *host, struct ys_reader *parameters)
{
    struct ys_hci_length length;
    ys_get_hci_length(parameters, &length);
    struct ys_connection *connection = ys_connection_find(host, length.handle);
    if (!ys_reader_ok(parameters) || connection == NULL)
        return;
    struct ys_link_state *state = &of_connection(host, connection)->state;
    state->send_length = (uint8_t)length.send_octets;
    state->receive_length = (uint8_t)length.receive_octets;
    tell(host, connection, YS_EVENT_LINK_CHANGED, YS_LINK_LENGTH, YS_HCI_OK);
}

static void phys_changed(struct ys_host *host, struct ys_reader *parameters)
{
    struct ys_hci_phy_update update;
    ys_get_hci_phy_update(parameters, &update);
    struct ys_connection *connection = ys_connection_find(host, update.handle);
    if (!ys_reader_ok(parameters) || connection == NULL)
        return;
    if (update.status != YS_HCI_OK) {
        refused(host, connection, DUE(DUE_PHYS), update.status);
        return;
    }
    if (!ys_in_range(update.send, 1, 3) || !ys_in_range(update.receive, 1, 3))
        return;
    struct ys_link_state *state = &of_connection(host, connection)->state;
    state->send_phy = (uint8_t)(1u << (update.send - 1));
    state->receive_phy = (uint8_t)(1u << (update.receive - 1));
    tell(host, connection, YS_EVENT_LINK_CHANGED, YS_LINK_PHYS, YS_HCI_OK);
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
    want(host, of, due);
}

/* A connection is about to be there: what the controller says of it is kept for whoever will be given it. */
static void completed(struct ys_host *host, uint8_t event, struct ys_reader *parameters)
{
    struct ys_hci_connection made;
    if (event == YS_HCI_LE_CONNECTION_COMPLETE)
        ys_get_hci_connection(parameters, &made);
    else
        ys_get_hci_enhanced_connection(parameters, &made);
    const struct ys_connection *connection = ys_connection_free(host);
    if (!ys_reader_ok(parameters) || made.status != YS_HCI_OK || connection == NULL)
        return;
    struct ys_links *links = links_of(host);
    struct ys_link_of *of = of_connection(host, connection);
    *of = (struct ys_link_of){
        .wishes = links->wishes,
        .state = {.interval_us = (uint32_t)made.interval * INTERVAL_STEP_US,
                  .latency = made.latency,
                  .supervision_timeout_ms = (uint16_t)(made.timeout * TIMEOUT_STEP_MS),
                  .send_phy = YS_LINK_1M,
                  .receive_phy = YS_LINK_1M,
                  .send_length = YS_LINK_PAYLOAD_DEFAULT,
                  .receive_length = YS_LINK_PAYLOAD_DEFAULT},
    };
    if (of->wishes != NULL && of->wishes->pause_ms > 0) {
        of->timed = true;
        of->at_ms = ys_now_ms(host) + of->wishes->pause_ms;
    }
    want_wishes(host, of);
}

static void event_in(struct ys_host *host, uint8_t event, const struct ys_reader *parameters)
{
    struct ys_reader reader = *parameters;
    if (event != YS_HCI_LE_META || host->state != STATE_READY)
        return;
    uint8_t kind = ys_get_u8(&reader);
    switch (kind) {
    case YS_HCI_LE_CONNECTION_COMPLETE:
    case YS_HCI_LE_ENHANCED_CONNECTION_COMPLETE:
        completed(host, kind, &reader);
        break;
    case YS_HCI_LE_CONNECTION_UPDATE_COMPLETE:
        updated(host, &reader);
        break;
    case YS_HCI_LE_PARAMETERS_REQUEST:
        asked(host, &reader);
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

/* Does the next of what is due for a connection; what is asked for waits for its time. */
static void run_one(struct ys_host *host, struct ys_links *links, uint8_t index)
{
    struct ys_link_of *of = &links->of[index];
    uint16_t due =
        of->timed ? (uint16_t)(of->due & (DUE_AT_ONCE | DUE(DUE_SIGNAL_ANSWER) | DUE(DUE_SIGNAL_REFUSAL))) : of->due;
    for (unsigned bit = DUE_SIGNAL; bit < DUE_NOTHING; bit++) {
        if ((due >> bit & 1) != 0 && send_signal(host, &host->connections[index], (uint8_t)bit))
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

static uint32_t run(struct ys_host *host, uint32_t now_ms)
{
    struct ys_links *links = links_of(host);
    uint32_t wait_ms = YS_FOREVER;
    if ((host->commands_due & BIT(COMMAND_LINK)) == 0 && host->command_running != COMMAND_LINK)
        links->running = DUE_NOTHING; /* the host has been started anew meanwhile */
    for (uint8_t i = 0; i < YS_CONNECTIONS; i++) {
        struct ys_link_of *of = &links->of[i];
        if (!host->connections[i].used || of->due == 0)
            continue;
        uint32_t until_ms = of->timed ? ys_until_ms(now_ms, of->at_ms) : 0;
        if (until_ms == 0)
            of->timed = false;
        else if (until_ms < wait_ms)
            wait_ms = until_ms;
        run_one(host, links, i);
    }
    return wait_ms;
}

static void connection_changed(struct ys_host *host, struct ys_connection *connection)
{
    struct ys_links *links = links_of(host);
    if (connection->used)
        return;
    *of_connection(host, connection) = (struct ys_link_of){.due = 0};
    /* what the controller was about to be told of it, it is told no more */
    if (running_connection(host) == connection && host->command_running != COMMAND_LINK) {
        host->commands_due &= ~BIT(COMMAND_LINK);
        links->running = DUE_NOTHING;
    }
}

static const struct ys_extra_calls calls = {
    .row = command_row,
    .event = event_in,
    .receive = frame_in,
    .run = run,
    .connection = connection_changed,
};

/* calls */

static bool are_valid(const struct ys_link_wishes *wishes)
{
    const uint8_t all_phys = YS_LINK_1M | YS_LINK_2M | YS_LINK_CODED;
    const struct ys_hci_parameters parameters = wished(wishes);
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
    if (wishes != NULL && !are_valid(wishes))
        return YS_ERROR_ARGUMENT;
    memset(links, 0, sizeof *links);
    links->wishes = wishes;
    links->running = DUE_NOTHING;
    ys_extra_add(host, &links->extra, &calls, (uint32_t)YS_HCI_LE_EVENT_MASK_LINK);
    return YS_OK;
}

static struct ys_link_of *find(const struct ys_host *host, uint16_t connection, enum ys_result *result)
{
    struct ys_links *links = links_of(host);
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
    struct ys_link_of *of = find(host, connection, &result);
    if (of == NULL)
        return result;
    if (wishes == NULL || !are_valid(wishes))
        return YS_ERROR_ARGUMENT;
    of->wishes = wishes;
    of->timed = false;
    want_wishes(host, of);
    return YS_OK;
}

enum ys_result ys_link_get(const struct ys_host *host, uint16_t connection, struct ys_link_state *state)
{
    enum ys_result result;
    const struct ys_link_of *of = find(host, connection, &result);
    if (of != NULL)
        *state = of->state;
    return result;
}
