/* The server of the attribute protocol (Core 5.4 Vol 3 Part F 3.4): each request is one row of a table, composes its
 * response in the connection's own memory, or an error.
 *
 * A handler may answer later. Then the request waits in the memory of its response:
 *
 *   none --consent, later--> consent --ys_answer, good--> consented --ys_host_run--> the request is done once more
 *     |                         +------ys_answer, error--> the error is sent
 *     +----handler, later--> handler --ys_answer--> the response or the error is sent
 *
 * A command that waits for consent does not keep requests from coming, so it waits in the queue of writes. */
#include "host/gatt/server/server.h"

#include <string.h>

#include "host/core/clock.h"
#include "host/core/context.h"
#include "host/core/events.h"
#include "host/gatt/server/access.h"
#include "host/gatt/server/answer.h"
#include "host/gatt/server/attributes.h"
#include "host/gatt/server/caching.h"
#include "host/gatt/server/find.h"
#include "host/gatt/server/queue.h"
#include "host/l2cap/frames.h"

/* Vol 3 Part F 3.2.8, 3.4.2.1, 3.4.2.2. */
static uint8_t exchange_mtu(struct answer *answer)
{
    uint16_t asked = answer->request->mtu;
    uint16_t own = answer->host->mtu;
    ys_answer_begin(answer);
    ys_put_u16(&answer->writer, own);
    uint16_t agreed = asked < own ? asked : own;
    if (agreed < YS_ATT_MTU_DEFAULT)
        agreed = YS_ATT_MTU_DEFAULT;
    answer->connection->mtu = agreed;
    ys_emit(answer->host,
            &(struct ys_event){.kind = YS_EVENT_MTU, .connection = answer->connection->handle, .u.mtu = agreed});
    return YS_ATT_OK;
}

/* Requests for one value, whose handlers are called last, can wait. */
struct server_row {
    uint8_t opcode;
    bool can_wait;
    answer_fn *answer;
};

static const struct server_row rows[] = {
    {YS_ATT_READ_REQUEST, true, ys_server_read},
    {YS_ATT_WRITE_REQUEST, true, ys_server_write},
    {YS_ATT_WRITE_COMMAND, true, ys_server_write_command},
    {YS_ATT_READ_BLOB_REQUEST, true, ys_server_read_blob},
    {YS_ATT_MTU_REQUEST, false, exchange_mtu},
    {YS_ATT_READ_BY_TYPE_REQUEST, false, ys_server_read_by_type},
    {YS_ATT_READ_BY_GROUP_TYPE_REQUEST, false, ys_server_read_by_type},
    {YS_ATT_FIND_INFORMATION_REQUEST, false, ys_server_find_information},
    {YS_ATT_FIND_BY_TYPE_VALUE_REQUEST, false, ys_server_find_by_type_value},
    {YS_ATT_READ_MULTIPLE_REQUEST, false, ys_server_read_multiple},
    {YS_ATT_READ_VARIABLE_REQUEST, false, ys_server_read_multiple},
#if YS_QUEUE_SIZE > 0
    {YS_ATT_PREPARE_WRITE_REQUEST, false, ys_server_prepare_write},
    {YS_ATT_EXECUTE_WRITE_REQUEST, true, ys_server_execute_write},
#endif
};

static const struct server_row *find_row(uint8_t opcode)
{
    for (size_t i = 0; i < sizeof rows / sizeof rows[0]; i++) {
        if (rows[i].opcode == opcode)
            return &rows[i];
    }
    return NULL;
}

/* Vol 3 Part F 3.4.1.1. */
static void put_error(struct ys_writer *writer, uint8_t request, uint16_t handle, uint8_t error)
{
    writer->length = 0;
    ys_put_att(writer, &(struct ys_att_pdu){
                           .opcode = YS_ATT_ERROR_RESPONSE, .request = request, .handle = handle, .error = error});
}

/* Waiting */

/* Keeps a request where its response will be. */
static void hold(struct answer *answer, const uint8_t *pdu, size_t length)
{
    const struct ys_host *host = answer->host;
    answer->connection->waiting = (struct ys_waiting){
        .token = host->last_token,
        .stage = host->later_stage,
        .handle = answer->handle,
        .offset = answer->request->offset,
        .length = (uint16_t)length,
    };
    memmove(answer->connection->response.bytes + PDU_AT, pdu, length);
}

/* A command whose handler answers later is done: nobody waits for the answer. */
static void hold_command(struct answer *answer)
{
    struct ys_host *host = answer->host;
    if (host->later_stage != STAGE_CONSENT)
        return;
    if (!ys_queue_hold(host, answer->connection, host->last_token, answer->request))
        ys_host_log(host, "dropped a command that waits for consent, since the queue is full, handle",
                    answer->request->handle);
}

/* Calls what answers a request; handlers may answer later if it can wait. */
static uint8_t compose(struct answer *answer, const struct server_row *row, enum ys_att_verdict verdict, bool consented)
{
    if (verdict == YS_ATT_MALFORMED)
        return YS_ATT_INVALID_PDU;
    if (row == NULL)
        return YS_ATT_REQUEST_NOT_SUPPORTED;
    answer->host->may_wait = row->can_wait;
    answer->host->consented = consented;
    uint8_t error = row->answer(answer);
    if (error ==
        YS_LATER) /* its token is the firmware's now, and no other's, whether anything will wait for it or not */
        answer->host->last_token = ys_attribute_token(answer->host, answer->connection);
    answer->host->may_wait = false;
    answer->host->consented = false;
    return error;
}

static void seal_answer(struct answer *answer, uint8_t error)
{
    if (error != YS_ATT_OK) /* what cannot be answered later, and would have to be, is not answered at all */
        put_error(&answer->writer, answer->request->opcode, answer->handle,
                  error == YS_LATER ? YS_ATT_UNLIKELY_ERROR : error);
    ys_l2cap_seal(&answer->connection->response, YS_L2CAP_ATT, ys_writer_stored(&answer->writer));
}

static void do_command(struct ys_host *host, struct ys_connection *connection, const struct ys_att_pdu *request,
                       enum ys_att_verdict verdict, bool consented)
{
    if (connection->awareness != AWARE && ys_caching_check(connection, request) != YS_ATT_OK)
        return;
    struct answer answer = {.host = host, .connection = connection, .request = request};
    /* Vol 3 Part F 3.3.1: whatever else happens, nothing is said */
    if (compose(&answer, find_row(request->opcode), verdict, consented) == YS_LATER)
        hold_command(&answer);
}

static void answer_request(struct ys_host *host, struct ys_connection *connection, const struct ys_received *received,
                           bool consented)
{
    struct answer answer = {
        .host = host,
        .connection = connection,
        .request = &received->pdu,
        .writer = ys_l2cap_writer(&connection->response, connection->mtu),
    };
    const struct server_row *row = find_row(received->pdu.opcode);
    uint8_t error = YS_ATT_OK;
    if (connection->awareness != AWARE)
        error = ys_caching_check(connection, &received->pdu);
    if (error == YS_ATT_OK)
        error = compose(&answer, row, received->verdict, consented);
    if (error == YS_LATER && row->can_wait)
        hold(&answer, received->bytes, received->length);
    else
        seal_answer(&answer, error);
}

void ys_server_receive(struct ys_host *host, struct ys_connection *connection, const struct ys_received *received)
{
    uint8_t opcode = received->pdu.opcode;
    if ((opcode & YS_ATT_COMMAND_FLAG) != 0)
        do_command(host, connection, &received->pdu, received->verdict, false);
    else if (connection->response.length > 0 || connection->waiting.stage != STAGE_NONE)
        /* Vol 3 Part F 3.3.2: one request at a time; the second is out of turn */
        ys_host_log(host, "dropped a request before the last was answered, opcode", opcode);
    else
        answer_request(host, connection, received, false);
}

/* Goes on with what has been consented to. The request moves to the host's own packet, since its response will be where
 * it lies. */
void ys_server_run(struct ys_host *host, struct ys_connection *connection)
{
    struct ys_att_pdu command;
    if (connection->waiting.stage == STAGE_CONSENTED) {
        struct ys_received received = {.bytes = host->outgoing.bytes + PDU_AT, .length = connection->waiting.length};
        memcpy(host->outgoing.bytes + PDU_AT, connection->response.bytes + PDU_AT, received.length);
        received.verdict = ys_att_decode(received.bytes, received.length, &received.pdu);
        connection->waiting = (struct ys_waiting){.stage = STAGE_NONE};
        answer_request(host, connection, &received, true);
    }
    while (host->commands_consented && ys_queue_take(host, connection, &command))
        do_command(host, connection, &command, YS_ATT_GOOD, true);
}

/* ys_answer */

static void answer_read(struct ys_connection *connection, const struct ys_waiting *waiting, struct ys_writer *writer,
                        const void *value, uint16_t length)
{
    uint8_t opcode = connection->response.bytes[PDU_AT];
    ys_put_u8(writer, ys_att_response_to(opcode));
    struct ys_writer window = ys_writer_window(writer->start + 1, (size_t)connection->mtu - 1, waiting->offset);
    ys_put_bytes(&window, value, length);
    if (waiting->offset > length)
        put_error(writer, opcode, waiting->handle, YS_ATT_INVALID_OFFSET);
    else
        writer->length = 1 + ys_writer_stored(&window);
}

/* The handler of a request has its answer. */
static void answer_now(struct ys_host *host, struct ys_connection *connection, uint8_t error, const void *value,
                       uint16_t length)
{
    const struct ys_waiting waiting = connection->waiting;
    struct ys_writer writer = ys_l2cap_writer(&connection->response, connection->mtu);
    uint8_t opcode = connection->response.bytes[PDU_AT];
    bool reads = opcode == YS_ATT_READ_REQUEST || opcode == YS_ATT_READ_BLOB_REQUEST;
    connection->waiting = (struct ys_waiting){.stage = STAGE_NONE}; /* what is called now cannot answer it again */
    if (opcode == YS_ATT_EXECUTE_WRITE_REQUEST) {
        if (error == YS_ATT_OK)
            ys_queue_finish(host, connection);
        ys_queue_cancel(host, connection);
    }
    if (error != YS_ATT_OK)
        put_error(&writer, opcode, waiting.handle, error);
    else if (reads)
        answer_read(connection, &waiting, &writer, value, length);
    else
        ys_put_u8(&writer, ys_att_response_to(opcode));
    ys_l2cap_seal(&connection->response, YS_L2CAP_ATT, ys_writer_stored(&writer));
}

enum ys_result ys_answer(struct ys_host *host, uint32_t token, uint8_t error, const void *value, uint16_t length)
{
    YS_NOT_IN_INTERRUPT(host, "ys_answer");
    uint32_t slot = (token & 0xff) - 1;
    struct ys_connection *connection = slot < YS_CONNECTIONS ? &host->connections[slot] : NULL;
    if (error == YS_LATER)
        return YS_ERROR_ARGUMENT;
    if (connection == NULL || !connection->used)
        return YS_ERROR_TOO_LATE;
    bool waits = connection->waiting.stage != STAGE_NONE && connection->waiting.token == token;
    if (!waits && !ys_queue_consent(host, token, error == YS_ATT_OK))
        return YS_ERROR_TOO_LATE;
    if (waits && connection->waiting.stage == STAGE_CONSENTED)
        return YS_ERROR_TOO_LATE;
    if (waits && connection->waiting.stage == STAGE_CONSENT && error == YS_ATT_OK)
        connection->waiting.stage = STAGE_CONSENTED;
    else if (waits)
        answer_now(host, connection, error, value, length);
    ys_wake(host);
    return YS_OK;
}
