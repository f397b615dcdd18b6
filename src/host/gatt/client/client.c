/* The GATT client (Core 5.4 Vol 3 Part G 4): the requests of a connection wait in a list, whose head is on the air. */
#include "host/gatt/client/client.h"

#include <yarnswift/pairing.h>

#include "host/core/clock.h"
#include "host/core/connections.h"
#include "host/core/context.h"
#include "host/core/events.h"
#include "host/core/hooks.h"
#include "host/l2cap/frames.h"

#define ANSWER_TIMEOUT_MS 30000 /* Vol 3 Part F 3.3.3, 3.4.1.1. */

static void finish_request(struct ys_connection *connection, enum ys_outcome outcome)
{
    struct ys_client_request *request = connection->requests;
    connection->requests = request->next;
    connection->request_sent = false;
    request->waiting = false;
    request->outcome = (uint8_t)outcome;
    if (outcome != YS_OUTCOME_REFUSED)
        request->error = YS_ATT_OK;
    request->on_done(request);
}

/* An answer that does not fit its question ends the bearer: nothing that such a server says can be relied on (Vol 3
 * Part F 3.3.2). */
static void client_go_on(struct ys_host *host, struct ys_connection *connection, enum ys_next next)
{
    static const enum ys_outcome outcomes[] = {
        [YS_NEXT_DONE] = YS_OUTCOME_DONE,           [YS_NEXT_MALFORMED] = YS_OUTCOME_MALFORMED,
        [YS_NEXT_CANCELLED] = YS_OUTCOME_MALFORMED, [YS_NEXT_TOO_LONG] = YS_OUTCOME_TOO_LONG,
        [YS_NEXT_REFUSED] = YS_OUTCOME_REFUSED,
    };
    if (next == YS_NEXT_ASK) {
        connection->request_sent = false;
        return;
    }
    if (next == YS_NEXT_MALFORMED)
        (void)ys_disconnect(host, connection->handle);
    finish_request(connection, outcomes[next]);
}

/* A request that was refused for lack of security is repeated once, after security was raised. */
static enum ys_next refuse(struct ys_host *host, struct ys_connection *connection, struct ys_client_request *request,
                           uint8_t error)
{
    if (host->pairing != NULL && !request->mended && host->pairing->calls->demanded(host, connection, error)) {
        request->mended = true;
        return YS_NEXT_ASK;
    }
    request->error = error;
    return request->procedure->error != NULL ? request->procedure->error(request, error) : YS_NEXT_REFUSED;
}

static void client_receive(struct ys_host *host, struct ys_connection *connection, const struct ys_att_pdu *pdu,
                           enum ys_att_verdict verdict)
{
    struct ys_client_request *request = connection->requests;
    uint16_t mtu_before = connection->mtu;
    if (request == NULL || !connection->request_sent || verdict == YS_ATT_UNKNOWN) {
        ys_host_log(host, "dropped an unexpected response, opcode", pdu->opcode);
        return;
    }
    bool error = pdu->opcode == YS_ATT_ERROR_RESPONSE;
    if (verdict == YS_ATT_MALFORMED || (error && pdu->request != request->opcode) ||
        (!error && pdu->opcode != ys_att_response_to(request->opcode)))
        client_go_on(host, connection, YS_NEXT_MALFORMED);
    else if (error)
        client_go_on(host, connection, refuse(host, connection, request, pdu->error));
    else
        client_go_on(host, connection, request->procedure->answer(connection, request, pdu));
    if (connection->used && connection->mtu != mtu_before) /* the request is its owner's again by now */
        ys_emit(host,
                &(struct ys_event){.kind = YS_EVENT_MTU, .connection = connection->handle, .u.mtu = connection->mtu});
}

static void send_request(struct ys_host *host, struct ys_connection *connection, uint32_t now_ms)
{
    struct ys_client_request *request = connection->requests;
    struct ys_att_pdu pdu;
    request->procedure->ask(connection, request, &pdu);
    request->opcode = pdu.opcode;
    struct ys_writer writer = ys_l2cap_writer(&host->outgoing, connection->mtu);
    ys_put_att(&writer, &pdu);
    ys_l2cap_seal(&host->outgoing, YS_L2CAP_ATT, ys_writer_stored(&writer));
    ys_l2cap_send(host, connection);
    connection->request_sent = true;
    connection->request_deadline_ms = now_ms + ANSWER_TIMEOUT_MS;
}

static void give_up(struct ys_host *host, struct ys_connection *connection)
{
    connection->silent = true;
    (void)ys_disconnect(host, connection->handle);
    while (connection->requests != NULL && connection->used)
        finish_request(connection, YS_OUTCOME_TIMEOUT);
}

/* Vol 3 Part F 3.3.3; Vol 3 Part G 4.14. */
static void client_run(struct ys_host *host, struct ys_connection *connection, uint32_t now_ms)
{
    if (connection->request_sent) {
        if (ys_until_ms(now_ms, connection->request_deadline_ms) == 0)
            give_up(host, connection);
        return;
    }
    while (connection->requests != NULL && !connection->request_sent && !connection->ending && !connection->held &&
           connection->response.length == 0 && ys_l2cap_fits(host, connection, connection->mtu)) {
        send_request(host, connection, now_ms);
        if (connection->requests->procedure->command)
            finish_request(connection, YS_OUTCOME_DONE);
    }
}

static void abort_all(struct ys_connection *connection)
{
    while (connection->requests != NULL)
        finish_request(connection, YS_OUTCOME_DISCONNECTED);
}

static const struct ys_client client = {.receive = client_receive, .run = client_run, .abort = abort_all};

enum ys_result ys_client_prepare(struct ys_client_request *request)
{
    if (request == NULL || request->on_done == NULL)
        return YS_ERROR_ARGUMENT;
    if (request->waiting)
        return YS_ERROR_BUSY;
    request->next = NULL;
    request->step = 0;
    request->outcome = YS_OUTCOME_DONE;
    request->error = YS_ATT_OK;
    request->length = 0;
    request->value_next = false;
    request->mended = false;
    request->only_uuid = false;
    request->refusal = YS_ATT_OK;
    request->part = 0;
    request->written = 0;
    request->part_count = 1;
    request->parts = NULL;
    request->cache = NULL;
    return YS_OK;
}

enum ys_result ys_client_begin(struct ys_host *host, uint16_t connection, struct ys_client_request *request,
                               const struct ys_procedure *procedure)
{
    YS_NOT_IN_INTERRUPT(host, "a call of the client");
    struct ys_connection *found = ys_connection_find(host, connection);
    if (found == NULL || found->ending)
        return YS_ERROR_NO_CONNECTION;
    request->connection = connection;
    request->procedure = procedure;
    request->waiting = true;
    host->client = &client;
    struct ys_client_request **end = &found->requests;
    while (*end != NULL)
        end = &(*end)->next;
    *end = request;
    ys_wake(host);
    return YS_OK;
}

/* MTU exchange (Vol 3 Part F 3.4.2.1, 3.4.2.2) */

static void ask_mtu(const struct ys_connection *connection, const struct ys_client_request *request,
                    struct ys_att_pdu *pdu)
{
    (void)connection;
    *pdu = (struct ys_att_pdu){.opcode = YS_ATT_MTU_REQUEST, .mtu = request->size};
}

/* Vol 3 Part F 3.2.8, 3.4.2.1, 3.4.2.2. */
static enum ys_next answer_mtu(struct ys_connection *connection, struct ys_client_request *request,
                               const struct ys_att_pdu *pdu)
{
    uint16_t agreed = pdu->mtu < request->size ? pdu->mtu : request->size;
    connection->mtu = agreed < YS_ATT_MTU_DEFAULT ? YS_ATT_MTU_DEFAULT : agreed;
    request->length = connection->mtu;
    return YS_NEXT_DONE;
}

static const struct ys_procedure exchange_mtu = {.ask = ask_mtu, .answer = answer_mtu};

/* Vol 3 Part G 4.3.1. */
enum ys_result ys_client_exchange_mtu(struct ys_host *host, uint16_t connection, struct ys_client_request *request)
{
    enum ys_result result = ys_client_prepare(request);
    struct ys_connection *found = ys_connection_find(host, connection);
    if (result != YS_OK)
        return result;
    if (found == NULL)
        return YS_ERROR_NO_CONNECTION;
    if (found->mtu_done)
        return YS_ERROR_BUSY;
    request->size = host->mtu;
    result = ys_client_begin(host, connection, request, &exchange_mtu);
    found->mtu_done = result == YS_OK;
    return result;
}
