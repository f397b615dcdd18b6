/* Signalling commands between hosts, where the controllers cannot negotiate (Core 5.4 Vol 3 Part A 4.20, 4.21). */
#include "host/gap/link_signals.h"

#include "host/core/clock.h"
#include "host/gap/connecting.h"
#include "host/gap/links.h"
#include "wire/hci_link.h"
#include "wire/link.h"

#define ANSWER_MS 30000 /* that a signal may take to be answered (Vol 3 Part A 6.2.1) */

static void put_parameters(struct ys_writer *writer, const struct ys_hci_parameters *parameters)
{
    ys_put_u16(writer, parameters->interval_min);
    ys_put_u16(writer, parameters->interval_max);
    ys_put_u16(writer, parameters->latency);
    ys_put_u16(writer, parameters->timeout);
}

/* Sends a signalling command if it fits now (Vol 3 Part A 4.20, 4.21). */
bool ys_link_send_signal(struct ys_host *host, struct ys_connection *connection, uint8_t due)
{
    struct ys_links *links = ys_links_of(host);
    struct ys_link_of *of = ys_link_of_connection(host, connection);
    struct ys_l2cap_signal signal = {.code = YS_L2CAP_PARAMETER_RSP, .identifier = of->peer_identifier, .length = 2};
    if (!ys_l2cap_fits(host, connection, YS_L2CAP_SIGNAL_MAX))
        return false;
    if (due == DUE_SIGNAL) {
        links->last_identifier = links->last_identifier < 0x7f ? (uint8_t)(links->last_identifier + 1) : 1;
        of->identifier = links->last_identifier;
        of->answer_ms = ys_now_ms(host) + ANSWER_MS;
        signal = (struct ys_l2cap_signal){.code = YS_L2CAP_PARAMETER_REQ, .identifier = of->identifier, .length = 8};
    }
    struct ys_writer writer = ys_l2cap_writer(&host->outgoing, YS_L2CAP_SIGNAL_MAX);
    ys_put_l2cap_signal(&writer, &signal);
    if (due == DUE_SIGNAL) {
        const struct ys_hci_parameters parameters = ys_link_wished(of->wishes);
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
    const struct ys_hci_parameters own = ys_link_wished(wishes);
    if (own.interval_min > of->asked[0])
        of->asked[0] = own.interval_min;
    if (own.interval_max < of->asked[1])
        of->asked[1] = own.interval_max;
}

/* The other side asks for other parameters: decides, and does the one thing or the other (Vol 3 Part C 9.3.9). */
void ys_link_answer(struct ys_host *host, struct ys_connection *connection, uint16_t yes, uint16_t no)
{
    struct ys_link_of *of = ys_link_of_connection(host, connection);
    bool accepted = is_accepted(of);
    ys_host_log(host,
                accepted ? "accepts a connection interval of at most, us" : "refuses a connection interval of, us",
                (uint32_t)of->asked[1] * INTERVAL_STEP_US);
    if (accepted)
        narrow(of);
    ys_link_want(host, of, accepted ? yes : no);
}

/* Vol 3 Part A 4.20, 4.21. */
bool ys_link_frame(struct ys_host *host, const struct ys_frame *frame)
{
    struct ys_connection *connection = frame->connection;
    struct ys_reader reader = ys_reader_of(frame->pdu, frame->length);
    struct ys_link_of *of = ys_link_of_connection(host, connection);
    struct ys_l2cap_signal signal;
    if (frame->channel != YS_L2CAP_SIGNALLING)
        return false;
    ys_get_l2cap_signal(&reader, &signal);
    bool own = ys_reader_ok(&reader) && signal.identifier != 0 && signal.identifier == of->identifier;
    if (own && (signal.code == YS_L2CAP_PARAMETER_RSP || signal.code == YS_L2CAP_COMMAND_REJECT)) {
        uint16_t result = ys_get_u16(&reader);
        of->identifier = 0;
        if (signal.code == YS_L2CAP_COMMAND_REJECT || result != 0)
            ys_link_tell(host, connection, YS_EVENT_LINK_REFUSED, YS_LINK_PARAMETERS, YS_HCI_UNACCEPTABLE_PARAMETERS);
        return true;
    }
    if (signal.code != YS_L2CAP_PARAMETER_REQ || connection->role != 0) /* it is for centrals only */
        return false;
    for (size_t i = 0; i < 4; i++)
        of->asked[i] = ys_get_u16(&reader);
    if (!ys_reader_done(&reader) || signal.identifier == 0)
        return false;
    of->peer_identifier = signal.identifier;
    ys_link_answer(host, connection, DUE(DUE_SIGNAL_ANSWER) | DUE(DUE_UPDATE), DUE(DUE_SIGNAL_REFUSAL));
    return true;
}
