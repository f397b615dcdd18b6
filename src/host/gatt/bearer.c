/* The bearer of the attribute protocol: each of its PDUs is for the server or for the client that a host is. */
#include "host/gatt/bearer.h"

#include "host/core/hooks.h"
#include "host/gatt/client/received.h"
#include "host/gatt/server/notify.h"
#include "host/gatt/server/server.h"

/* Bits 0 to 5 of an opcode say the method. Even methods are asked for, odd ones answer; so it is in the whole table of
 * Vol 3 Part F 3.4.8, and an unknown even one is a request that is not supported. */
static bool is_for_client(uint8_t opcode)
{
    return (opcode & YS_ATT_COMMAND_FLAG) == 0 && (opcode & 1) != 0;
}

/* Vol 3 Part F 3.3.1, 3.4.8. */
void ys_bearer_receive(struct ys_host *host, const struct ys_frame *frame)
{
    struct ys_connection *connection = frame->connection;
    struct ys_received received = {.bytes = frame->pdu, .length = frame->length};
    if (connection->silent) /* Vol 3 Part F 3.3.3 */
        return;
    if (frame->length == 0 || frame->length > connection->mtu) {
        ys_host_log(host, "dropped an attribute PDU longer than the MTU, bytes", frame->length);
        return;
    }
    received.verdict = ys_att_decode(frame->pdu, frame->length, &received.pdu);
    uint8_t opcode = received.pdu.opcode;
    if (opcode == YS_ATT_NOTIFICATION || opcode == YS_ATT_INDICATION || opcode == YS_ATT_NOTIFICATIONS)
        ys_client_received(host, connection, &received.pdu, received.verdict);
    else if (is_for_client(opcode) && host->client != NULL)
        host->client->receive(host, connection, &received.pdu, received.verdict);
    else if (is_for_client(opcode))
        ys_host_log(host, "dropped an unexpected response, opcode", opcode);
    else if (opcode == YS_ATT_CONFIRMATION)
        ys_notify_confirmed(host, connection);
    else
        ys_server_receive(host, connection, &received);
}

/* Vol 3 Part F 3.4.7.2, 3.4.7.3. */
void ys_bearer_confirm(struct ys_host *host, struct ys_connection *connection)
{
    const uint8_t confirmation[] = {YS_ATT_CONFIRMATION};
    connection->confirm_due = !ys_l2cap_send_short(host, connection, YS_L2CAP_ATT, confirmation, sizeof confirmation);
}
