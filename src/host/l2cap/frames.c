/* L2CAP: data packets are put together into PDUs for the fixed channels, and PDUs are cut into data packets.
 *
 * A PDU is handed to the controller only when all of its pieces fit into the controller's free buffers, except a
 * response of the server, which has memory of its own and may go piece by piece. So nothing is ever half sent. */
#include "host/l2cap/frames.h"

#include <string.h>

#include "host/core/connections.h"
#include "wire/att.h"
#include "wire/hci.h"
#include "wire/l2cap.h"
#include "wire/smp.h"

_Static_assert(PDU_AT == sizeof(((struct ys_outgoing *)NULL)->bytes) - YS_FIXED_PDU_MAX, "headers have their room");
_Static_assert(YS_SMP_PDU_MAX <= YS_FIXED_PDU_MAX, "a public key has its room, whatever the ATT MTU is");

/* out */

static size_t kept_for_others(const struct ys_host *host, const struct ys_connection *connection)
{
    size_t kept = 0;
    size_t used = 0;
    for (size_t i = 0; i < host->connection_end; i++)
        used += host->connections[i].used;
    size_t share = used > 0 ? host->data_total / used : 0;
    for (size_t i = 0; i < host->connection_end; i++) {
        const struct ys_connection *other = &host->connections[i];
        if (other->used && other != connection && other->packets_out < share)
            kept += share - other->packets_out;
    }
    return kept;
}

/* Each connection has a share of the controller's buffers. Unused parts of other shares are not taken, so that a peer
 * which does not acknowledge delays nobody else. A connection with nothing in transit may always send one PDU, however
 * few buffers there are. */
bool ys_l2cap_fits(const struct ys_host *host, const struct ys_connection *connection, size_t pdu_length)
{
    size_t frame = pdu_length + YS_L2CAP_HEADER_SIZE;
    size_t kept = connection->packets_out > 0 ? kept_for_others(host, connection) : 0;
    return connection->response.sent == 0 && host->data_free > kept &&
           frame <= (host->data_free - kept) * host->data_length;
}

struct ys_writer ys_l2cap_writer(struct ys_outgoing *outgoing, size_t limit)
{
    const size_t room = sizeof outgoing->bytes - PDU_AT;
    return ys_writer_to(outgoing->bytes + PDU_AT, limit < room ? limit : room);
}

void ys_l2cap_seal(struct ys_outgoing *outgoing, uint16_t channel, size_t length)
{
    struct ys_writer writer = ys_writer_to(outgoing->bytes + YS_HCI_DATA_HEADER_SIZE, YS_L2CAP_HEADER_SIZE);
    ys_put_l2cap_header(&writer, &(struct ys_l2cap_header){.length = (uint16_t)length, .channel = channel});
    outgoing->length = (uint16_t)(length + YS_L2CAP_HEADER_SIZE);
    outgoing->sent = 0;
}

/* Sends the next piece. Its header is written over the end of the piece before, which is gone already. */
static void send_piece(struct ys_host *host, struct ys_connection *connection, struct ys_outgoing *outgoing)
{
    uint16_t left = (uint16_t)(outgoing->length - outgoing->sent);
    uint16_t size = left < host->data_length ? left : host->data_length;
    uint8_t *packet = outgoing->bytes + outgoing->sent;
    struct ys_writer writer = ys_writer_to(packet, YS_HCI_DATA_HEADER_SIZE);
    ys_put_u8(&writer, YS_HCI_DATA);
    ys_put_hci_data(&writer, &(struct ys_hci_data){
                                 .handle = connection->handle,
                                 .boundary = outgoing->sent == 0 ? YS_HCI_FIRST_TO_CONTROLLER : YS_HCI_CONTINUING,
                                 .length = size,
                             });
    outgoing->sent = (uint16_t)(outgoing->sent + size);
    host->data_free--;
    connection->packets_out++;
    host->port->send(host->port->context, packet, (size_t)YS_HCI_DATA_HEADER_SIZE + size);
}

/* Sends as many pieces as fit; true once all are sent. */
static bool send_pieces(struct ys_host *host, struct ys_connection *connection, struct ys_outgoing *outgoing)
{
    while (outgoing->sent < outgoing->length && host->data_free > 0)
        send_piece(host, connection, outgoing);
    if (outgoing->sent < outgoing->length)
        return false;
    outgoing->length = 0;
    outgoing->sent = 0;
    return true;
}

void ys_l2cap_send(struct ys_host *host, struct ys_connection *connection)
{
    (void)send_pieces(host, connection, &host->outgoing);
}

bool ys_l2cap_send_short(struct ys_host *host, struct ys_connection *connection, uint16_t channel, const uint8_t *pdu,
                         size_t length)
{
    if (!ys_l2cap_fits(host, connection, YS_ATT_MTU_DEFAULT))
        return false;
    memcpy(host->outgoing.bytes + PDU_AT, pdu, length);
    ys_l2cap_seal(&host->outgoing, channel, length);
    ys_l2cap_send(host, connection);
    return true;
}

bool ys_l2cap_go_on(struct ys_host *host, struct ys_connection *connection)
{
    return connection->response.length == 0 || send_pieces(host, connection, &connection->response);
}

void ys_l2cap_send_refusals(struct ys_host *host, struct ys_connection *connection)
{
    while (connection->refusal_count > 0) {
        const uint8_t *first = connection->refusals[0];
        bool pairing = first[0] == YS_SMP_PAIRING_FAILED;
        const uint8_t result = first[0] == YS_L2CAP_PARAMETER_RSP ? YS_L2CAP_REFUSED : YS_L2CAP_NOT_UNDERSTOOD;
        const uint8_t pdu[] = {first[0], first[1], 2, 0, result, 0};
        if (!ys_l2cap_send_short(host, connection, pairing ? YS_L2CAP_SECURITY : YS_L2CAP_SIGNALLING, pdu,
                                 pairing ? 2 : sizeof pdu))
            return;
        memmove(connection->refusals[0], connection->refusals[1], sizeof connection->refusals - 2);
        connection->refusal_count--;
    }
}

/* Of a peer that sends more than there is room for without waiting, some are not answered. */
void ys_l2cap_refuse_with(struct ys_connection *connection, uint8_t code, uint8_t argument)
{
    uint8_t *refusal = connection->refusals[connection->refusal_count];
    if (connection->refusal_count == sizeof connection->refusals / sizeof connection->refusals[0])
        return;
    refusal[0] = code;
    refusal[1] = argument;
    connection->refusal_count++;
}

/* Vol 4 Part E 4.1.1, 7.7.19. */
void ys_l2cap_completed(struct ys_host *host, struct ys_reader *parameters)
{
    uint8_t count = ys_get_u8(parameters);
    for (uint8_t i = 0; i < count; i++) {
        struct ys_connection *connection = ys_connection_find(host, ys_get_u16(parameters) & 0x0fff);
        uint16_t packets = ys_get_u16(parameters);
        if (!ys_reader_ok(parameters) || connection == NULL)
            continue;
        if (packets > connection->packets_out)
            packets = connection->packets_out;
        connection->packets_out = (uint16_t)(connection->packets_out - packets);
        connection->packets_back = (uint16_t)(connection->packets_back + packets);
        host->data_free = (uint16_t)(host->data_free + packets);
    }
}

/* in */

/* Vol 3 Part A 4.1. */
static void refuse_signal(struct ys_host *host, const struct ys_frame *frame)
{
    struct ys_reader reader = ys_reader_of(frame->pdu, frame->length);
    struct ys_l2cap_signal signal;
    ys_get_l2cap_signal(&reader, &signal);
    /* Vol 3 Part A 4: an identifier is never 0; a reject is not answered */
    if (!ys_reader_ok(&reader) || signal.identifier == 0 || signal.code == YS_L2CAP_COMMAND_REJECT)
        return;
    ys_host_log(host, "refuses a signalling command with the code", signal.code);
    /* a peripheral may ask its central for parameters, who says no: a reject would say that nobody understands */
    bool asks = signal.code == YS_L2CAP_PARAMETER_REQ && frame->connection->role == 0;
    ys_l2cap_refuse_with(frame->connection, asks ? YS_L2CAP_PARAMETER_RSP : YS_L2CAP_COMMAND_REJECT, signal.identifier);
}

void ys_l2cap_refuse(struct ys_host *host, const struct ys_frame *frame)
{
    if (frame->channel == YS_L2CAP_SIGNALLING)
        refuse_signal(host, frame);
    else if (frame->channel != YS_L2CAP_SECURITY)
        ys_host_log(host, "dropped a frame for the unknown channel", frame->channel);
    else if (frame->length > 0 && frame->pdu[0] == YS_SMP_PAIRING_REQUEST) /* nothing else needs an answer */
        ys_l2cap_refuse_with(frame->connection, YS_SMP_PAIRING_FAILED, YS_SMP_NOT_SUPPORTED);
}

/* Takes the pieces of a frame until they are as long as its header says; true if it is whole then, and no longer. What
 * does not fit is dropped whole (Vol 3 Part A 3.1). */
static bool piece_in(struct ys_host *host, struct ys_connection *connection, const uint8_t *bytes, uint16_t length,
                     struct ys_frame *frame)
{
    if (connection->incoming_length + length > sizeof connection->incoming) {
        ys_host_log(host, "dropped a frame that is too long, bytes so far", connection->incoming_length);
        connection->incoming_begun = false;
        return false;
    }
    memcpy(connection->incoming + connection->incoming_length, bytes, length);
    connection->incoming_length = (uint16_t)(connection->incoming_length + length);
    if (connection->incoming_length < YS_L2CAP_HEADER_SIZE)
        return false;
    struct ys_reader reader = ys_reader_of(connection->incoming, connection->incoming_length);
    struct ys_l2cap_header header;
    ys_get_l2cap_header(&reader, &header);
    if (reader.left < header.length)
        return false;
    connection->incoming_begun = false;
    *frame = (struct ys_frame){.connection = connection,
                               .channel = header.channel,
                               .length = header.length,
                               .pdu = ys_get_bytes(&reader, header.length)};
    return ys_reader_done(&reader);
}

/* Vol 3 Part A 2.1. */
bool ys_l2cap_receive(struct ys_host *host, const uint8_t *packet, size_t length, struct ys_frame *frame)
{
    struct ys_reader reader = ys_reader_of(packet, length);
    struct ys_hci_data data;
    ys_get_hci_data(&reader, &data);
    const uint8_t *bytes = ys_get_bytes(&reader, data.length);
    struct ys_connection *connection = ys_connection_find(host, data.handle);
    if (!ys_reader_done(&reader) || connection == NULL) {
        ys_host_log(host, "dropped a data packet that is malformed or for no connection, handle", data.handle);
        return false;
    }
    if (data.boundary != YS_HCI_CONTINUING) { /* a new frame begins; one that was begun will never be whole */
        connection->incoming_length = 0;
        connection->incoming_begun = true;
    }
    return connection->incoming_begun && data.length > 0 && piece_in(host, connection, bytes, data.length, frame);
}
