/* The GATT client (Core 5.4 Vol 3 Part G 4). Each procedure is a row of a table: what it asks next, and what it makes
 * of the answer. The requests of a connection wait in a list; its head is on the air. */
#include "host/internal.h"

#define ANSWER_TIMEOUT_MS 30000 /* Vol 3 Part F 3.3.3 */

#define TYPE_SERVICE        0x2800
#define TYPE_CHARACTERISTIC 0x2803

/* What an answer does to its procedure. */
enum next { NEXT_DONE, NEXT_ASK, NEXT_MALFORMED, NEXT_TOO_LONG, NEXT_REFUSED };

typedef void ask_fn(const struct ys_host *host, const struct ys_client_request *request, struct ys_att_pdu *pdu);
typedef enum next answer_fn(struct ys_connection *connection, struct ys_client_request *request,
                            const struct ys_att_pdu *pdu);

enum procedure {
    PROCEDURE_MTU,
    PROCEDURE_DISCOVER,
    PROCEDURE_FIND_SERVICE,
    PROCEDURE_READ,
    PROCEDURE_READ_BY_UUID,
    PROCEDURE_WRITE,
    PROCEDURE_WRITE_COMMAND
};

/* MTU exchange */

static void ask_mtu(const struct ys_host *host, const struct ys_client_request *request, struct ys_att_pdu *pdu)
{
    (void)request;
    *pdu = (struct ys_att_pdu){.opcode = YS_ATT_MTU_REQUEST, .mtu = host->mtu};
}

static enum next answer_mtu(struct ys_connection *connection, struct ys_client_request *request,
                            const struct ys_att_pdu *pdu)
{
    uint16_t agreed = pdu->mtu < request->size ? pdu->mtu : request->size;
    connection->mtu = agreed < YS_ATT_MTU_DEFAULT ? YS_ATT_MTU_DEFAULT : agreed;
    request->length = connection->mtu;
    return NEXT_DONE;
}

/* Discovery: services, then characteristics, then descriptors, each over all handles */

enum discover_step { DISCOVER_SERVICES, DISCOVER_CHARACTERISTICS, DISCOVER_DESCRIPTORS, DISCOVER_END };

static void ask_discover(const struct ys_host *host, const struct ys_client_request *request, struct ys_att_pdu *pdu)
{
    (void)host;
    *pdu = (struct ys_att_pdu){.first = request->handle, .last = 0xffff};
    if (request->step == DISCOVER_SERVICES) {
        pdu->opcode = YS_ATT_READ_BY_GROUP_TYPE_REQUEST;
        pdu->type = ys_uuid_of(TYPE_SERVICE);
    } else if (request->step == DISCOVER_CHARACTERISTICS) {
        pdu->opcode = YS_ATT_READ_BY_TYPE_REQUEST;
        pdu->type = ys_uuid_of(TYPE_CHARACTERISTIC);
    } else {
        pdu->opcode = YS_ATT_FIND_INFORMATION_REQUEST;
    }
}

/* Reads one entry of an answer; its length is `size`. False if it does not go on from where the last one ended. */
static bool get_service(struct ys_reader *reader, size_t size, struct ys_found *found)
{
    found->kind = YS_FOUND_SERVICE;
    found->handle = ys_get_u16(reader);
    found->last_handle = ys_get_u16(reader);
    found->uuid = ys_uuid_from_air(ys_get_bytes(reader, size - 4), size - 4);
    return found->last_handle >= found->handle;
}

static bool get_characteristic(struct ys_reader *reader, size_t size, struct ys_found *found)
{
    found->kind = YS_FOUND_CHARACTERISTIC;
    found->handle = ys_get_u16(reader);
    found->properties = ys_get_u8(reader);
    found->value_handle = ys_get_u16(reader);
    found->last_handle = found->handle;
    found->uuid = ys_uuid_from_air(ys_get_bytes(reader, size - 5), size - 5);
    return found->value_handle > found->handle;
}

static bool get_descriptor(struct ys_reader *reader, size_t size, struct ys_found *found)
{
    found->kind = YS_FOUND_DESCRIPTOR;
    found->handle = ys_get_u16(reader);
    found->last_handle = found->handle;
    found->uuid = ys_uuid_from_air(ys_get_bytes(reader, size - 2), size - 2);
    return true;
}

/* Find information lists every attribute: declarations are known already, and what follows the declaration of a
 * characteristic is its value (Vol 3 Part G 3.3.2). */
static bool is_descriptor(struct ys_client_request *request, const struct ys_found *found)
{
    uint32_t number = ys_uuid_number(&found->uuid);
    bool value = request->value_next;
    request->value_next = number == TYPE_CHARACTERISTIC;
    return !value && (number < 0x2800 || number > TYPE_CHARACTERISTIC);
}

static const struct discover_row {
    size_t header; /* bytes of an entry before its UUID */
    bool (*get)(struct ys_reader *reader, size_t size, struct ys_found *found);
} discover_rows[] = {
    [DISCOVER_SERVICES] = {4, get_service},
    [DISCOVER_CHARACTERISTICS] = {5, get_characteristic},
    [DISCOVER_DESCRIPTORS] = {2, get_descriptor},
};

static enum next next_step(struct ys_client_request *request)
{
    request->step++;
    request->handle = 1;
    return request->step == DISCOVER_END ? NEXT_DONE : NEXT_ASK;
}

static size_t entry_size(const struct ys_client_request *request, const struct ys_att_pdu *pdu)
{
    if (request->step != DISCOVER_DESCRIPTORS)
        return pdu->format;
    return pdu->format == YS_ATT_FORMAT_UUID_16 ? 4 : pdu->format == YS_ATT_FORMAT_UUID_128 ? 18 : 0;
}

static enum next answer_discover(struct ys_connection *connection, struct ys_client_request *request,
                                 const struct ys_att_pdu *pdu)
{
    const struct discover_row *row = &discover_rows[request->step];
    size_t size = entry_size(request, pdu);
    (void)connection;
    if (size == 0 || (size != row->header + 2 && size != row->header + 16) || pdu->length == 0 ||
        pdu->length % size != 0)
        return NEXT_MALFORMED;
    struct ys_reader reader = ys_reader_of(pdu->value, pdu->length);
    while (ys_reader_left(&reader) > 0) {
        struct ys_found found = {.properties = 0};
        /* handles must grow, or the discovery would never end */
        if (!row->get(&reader, size, &found) || found.handle < request->handle)
            return NEXT_MALFORMED;
        if (request->step != DISCOVER_DESCRIPTORS || is_descriptor(request, &found))
            request->on_item(request, &found);
        if (found.last_handle == 0xffff)
            return next_step(request);
        request->handle = (uint16_t)(found.last_handle + 1);
    }
    return NEXT_ASK;
}

/* Finding services by UUID */

static void ask_service(const struct ys_host *host, const struct ys_client_request *request, struct ys_att_pdu *pdu)
{
    (void)host;
    *pdu = (struct ys_att_pdu){
        .opcode = YS_ATT_FIND_BY_TYPE_VALUE_REQUEST,
        .first = request->handle,
        .last = 0xffff,
        .type = ys_uuid_of(TYPE_SERVICE),
        .value = request->uuid.bytes,
        .length = request->uuid.length,
    };
}

static enum next answer_service(struct ys_connection *connection, struct ys_client_request *request,
                                const struct ys_att_pdu *pdu)
{
    (void)connection;
    if (pdu->length == 0 || pdu->length % 4 != 0)
        return NEXT_MALFORMED;
    struct ys_reader reader = ys_reader_of(pdu->value, pdu->length);
    while (ys_reader_left(&reader) > 0) {
        struct ys_found found = {.kind = YS_FOUND_SERVICE, .uuid = request->uuid};
        found.handle = ys_get_u16(&reader);
        found.last_handle = ys_get_u16(&reader);
        if (found.handle < request->handle || found.last_handle < found.handle)
            return NEXT_MALFORMED;
        request->on_item(request, &found);
        if (found.last_handle == 0xffff)
            return NEXT_DONE;
        request->handle = (uint16_t)(found.last_handle + 1);
    }
    return NEXT_ASK;
}

/* Reading */

static void ask_read(const struct ys_host *host, const struct ys_client_request *request, struct ys_att_pdu *pdu)
{
    (void)host;
    *pdu = (struct ys_att_pdu){
        .opcode = request->step == 0 ? YS_ATT_READ_REQUEST : YS_ATT_READ_BLOB_REQUEST,
        .handle = request->handle,
        .offset = request->length,
    };
}

/* Appends to the buffer; false if it does not all fit. */
static bool take(struct ys_client_request *request, const uint8_t *bytes, size_t length)
{
    struct ys_writer writer = ys_writer_to(request->buffer + request->length, (size_t)request->size - request->length);
    ys_put_bytes(&writer, bytes, length);
    request->length = (uint16_t)(request->length + ys_writer_stored(&writer));
    return ys_writer_ok(&writer);
}

static enum next answer_read(struct ys_connection *connection, struct ys_client_request *request,
                             const struct ys_att_pdu *pdu)
{
    if (!take(request, pdu->value, pdu->length))
        return NEXT_TOO_LONG;
    request->step = 1;
    /* a full answer may have more behind it (3.4.4.5), up to the longest value there is */
    return pdu->length == connection->mtu - 1u && request->length < YS_ATT_VALUE_MAX ? NEXT_ASK : NEXT_DONE;
}

static void ask_read_by_uuid(const struct ys_host *host, const struct ys_client_request *request,
                             struct ys_att_pdu *pdu)
{
    (void)host;
    *pdu = (struct ys_att_pdu){
        .opcode = YS_ATT_READ_BY_TYPE_REQUEST,
        .first = request->handle,
        .last = request->last,
        .type = request->uuid,
    };
}

static enum next answer_read_by_uuid(struct ys_connection *connection, struct ys_client_request *request,
                                     const struct ys_att_pdu *pdu)
{
    struct ys_reader reader = ys_reader_of(pdu->value, pdu->length);
    (void)connection;
    if (pdu->format < 2 || pdu->length < pdu->format)
        return NEXT_MALFORMED;
    (void)ys_get_u16(&reader); /* its handle */
    size_t length = (size_t)pdu->format - 2;
    return take(request, ys_get_bytes(&reader, length), length) ? NEXT_DONE : NEXT_TOO_LONG;
}

/* Writing */

static void ask_write(const struct ys_host *host, const struct ys_client_request *request, struct ys_att_pdu *pdu)
{
    (void)host;
    *pdu = (struct ys_att_pdu){
        .opcode = request->procedure == PROCEDURE_WRITE ? YS_ATT_WRITE_REQUEST : YS_ATT_WRITE_COMMAND,
        .handle = request->handle,
        .value = request->value != NULL ? request->value : request->uuid.bytes,
        .length = request->size,
    };
}

static enum next answer_write(struct ys_connection *connection, struct ys_client_request *request,
                              const struct ys_att_pdu *pdu)
{
    (void)connection;
    (void)request;
    (void)pdu;
    return NEXT_DONE;
}

/* The procedures. */
static const struct {
    ask_fn *ask;
    answer_fn *answer;
} procedures[] = {
    [PROCEDURE_MTU] = {ask_mtu, answer_mtu},
    [PROCEDURE_DISCOVER] = {ask_discover, answer_discover},
    [PROCEDURE_FIND_SERVICE] = {ask_service, answer_service},
    [PROCEDURE_READ] = {ask_read, answer_read},
    [PROCEDURE_READ_BY_UUID] = {ask_read_by_uuid, answer_read_by_uuid},
    [PROCEDURE_WRITE] = {ask_write, answer_write},
    [PROCEDURE_WRITE_COMMAND] = {ask_write, answer_write},
};

/* What an error means to the procedure: an end that was to be expected, or a refusal. */
static enum next answer_error(struct ys_client_request *request, uint8_t error)
{
    request->error = error;
    if (error == YS_ATT_ATTRIBUTE_NOT_FOUND && request->procedure == PROCEDURE_DISCOVER)
        return next_step(request);
    if (error == YS_ATT_ATTRIBUTE_NOT_FOUND && request->procedure == PROCEDURE_FIND_SERVICE)
        return NEXT_DONE;
    if (request->procedure == PROCEDURE_READ && request->step == 1 &&
        (error == YS_ATT_INVALID_OFFSET || error == YS_ATT_ATTRIBUTE_NOT_LONG))
        return NEXT_DONE;
    return NEXT_REFUSED;
}

static void finish(struct ys_connection *connection, enum ys_outcome outcome)
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

static void go_on(struct ys_connection *connection, enum next next)
{
    static const enum ys_outcome outcomes[] = {
        [NEXT_DONE] = YS_OUTCOME_DONE,
        [NEXT_MALFORMED] = YS_OUTCOME_MALFORMED,
        [NEXT_TOO_LONG] = YS_OUTCOME_TOO_LONG,
        [NEXT_REFUSED] = YS_OUTCOME_REFUSED,
    };
    if (next == NEXT_ASK)
        connection->request_sent = false;
    else
        finish(connection, outcomes[next]);
}

static void notified(struct ys_host *host, struct ys_connection *connection, const struct ys_att_pdu *pdu)
{
    bool indication = pdu->opcode == YS_ATT_INDICATION;
    ys_emit(host, &(struct ys_event){
                      .kind = YS_EVENT_NOTIFICATION,
                      .connection = connection->handle,
                      .u.notification = {.handle = pdu->handle,
                                         .kind = indication ? YS_BY_INDICATION : YS_BY_NOTIFICATION,
                                         .length = (uint16_t)pdu->length,
                                         .value = pdu->value},
                  });
    if (indication)
        connection->confirm_due = true;
}

void ys_client_receive(struct ys_host *host, struct ys_connection *connection, const struct ys_att_pdu *pdu,
                       enum ys_att_verdict verdict)
{
    struct ys_client_request *request = connection->requests;
    uint16_t mtu_before = connection->mtu;
    if (pdu->opcode == YS_ATT_NOTIFICATION || pdu->opcode == YS_ATT_INDICATION) {
        if (verdict == YS_ATT_GOOD)
            notified(host, connection, pdu);
        return;
    }
    if (request == NULL || !connection->request_sent || verdict == YS_ATT_UNKNOWN) {
        ys_log(host, "dropped an answer that nobody waits for, opcode", pdu->opcode);
        return;
    }
    bool error = pdu->opcode == YS_ATT_ERROR_RESPONSE;
    if (verdict == YS_ATT_MALFORMED || (error && pdu->request != request->opcode) ||
        (!error && pdu->opcode != ys_att_response_to(request->opcode)))
        go_on(connection, NEXT_MALFORMED);
    else if (error)
        go_on(connection, answer_error(request, pdu->error));
    else
        go_on(connection, procedures[request->procedure].answer(connection, request, pdu));
    if (connection->used && connection->mtu != mtu_before) /* the request is its owner's again by now */
        ys_emit(host,
                &(struct ys_event){.kind = YS_EVENT_MTU, .connection = connection->handle, .u.mtu = connection->mtu});
}

static void send_request(struct ys_host *host, struct ys_connection *connection, uint32_t now_ms)
{
    struct ys_client_request *request = connection->requests;
    struct ys_att_pdu pdu;
    procedures[request->procedure].ask(host, request, &pdu);
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
    (void)ys_disconnect(host, connection->handle);
    while (connection->requests != NULL && connection->used)
        finish(connection, YS_OUTCOME_TIMEOUT);
}

void ys_client_run(struct ys_host *host, struct ys_connection *connection, uint32_t now_ms)
{
    if (connection->request_sent) {
        if (ys_until_ms(now_ms, connection->request_deadline_ms) == 0)
            give_up(host, connection);
        return;
    }
    while (connection->requests != NULL && !connection->request_sent && !connection->ending &&
           connection->response.length == 0 && ys_l2cap_fits(host, connection->mtu)) {
        send_request(host, connection, now_ms);
        if (connection->requests->procedure == PROCEDURE_WRITE_COMMAND)
            finish(connection, YS_OUTCOME_DONE);
    }
}

uint32_t ys_client_wait_ms(const struct ys_connection *connection, uint32_t now_ms)
{
    return connection->request_sent ? ys_until_ms(now_ms, connection->request_deadline_ms) : YS_FOREVER;
}

void ys_client_abort(struct ys_host *host, struct ys_connection *connection)
{
    (void)host;
    while (connection->requests != NULL)
        finish(connection, YS_OUTCOME_DISCONNECTED);
}

/* Puts a request at the end of its connection's list. */
static enum ys_result enqueue(struct ys_host *host, uint16_t connection, struct ys_client_request *request,
                              enum procedure procedure)
{
    struct ys_connection *found = ys_connection_find(host, connection);
    if (found == NULL || found->ending)
        return YS_ERROR_NO_CONNECTION;
    request->next = NULL;
    request->connection = connection;
    request->procedure = (uint8_t)procedure;
    request->step = 0;
    request->outcome = YS_OUTCOME_DONE;
    request->error = YS_ATT_OK;
    request->length = 0;
    request->waiting = true;
    request->value_next = false;
    struct ys_client_request **end = &found->requests;
    while (*end != NULL)
        end = &(*end)->next;
    *end = request;
    ys_wake(host);
    return YS_OK;
}

static enum ys_result check(const struct ys_client_request *request)
{
    if (request == NULL || request->on_done == NULL)
        return YS_ERROR_ARGUMENT;
    return request->waiting ? YS_ERROR_BUSY : YS_OK;
}

enum ys_result ys_client_exchange_mtu(struct ys_host *host, uint16_t connection, struct ys_client_request *request)
{
    enum ys_result result = check(request);
    struct ys_connection *found = ys_connection_find(host, connection);
    if (result != YS_OK)
        return result;
    if (found == NULL)
        return YS_ERROR_NO_CONNECTION;
    if (found->mtu_done)
        return YS_ERROR_BUSY;
    request->size = host->mtu;
    result = enqueue(host, connection, request, PROCEDURE_MTU);
    found->mtu_done = result == YS_OK;
    return result;
}

enum ys_result ys_client_discover(struct ys_host *host, uint16_t connection, struct ys_client_request *request)
{
    enum ys_result result = check(request);
    if (result != YS_OK)
        return result;
    if (request->on_item == NULL)
        return YS_ERROR_ARGUMENT;
    request->handle = 1;
    return enqueue(host, connection, request, PROCEDURE_DISCOVER);
}

enum ys_result ys_client_find_service(struct ys_host *host, uint16_t connection, struct ys_client_request *request,
                                      const struct ys_uuid *uuid)
{
    enum ys_result result = check(request);
    if (result != YS_OK)
        return result;
    if (request->on_item == NULL || uuid == NULL || (uuid->length != 2 && uuid->length != 16))
        return YS_ERROR_ARGUMENT;
    request->handle = 1;
    request->uuid = *uuid;
    return enqueue(host, connection, request, PROCEDURE_FIND_SERVICE);
}

enum ys_result ys_client_read(struct ys_host *host, uint16_t connection, struct ys_client_request *request,
                              uint16_t handle, uint8_t *buffer, uint16_t size)
{
    enum ys_result result = check(request);
    if (result != YS_OK)
        return result;
    if (buffer == NULL && size > 0)
        return YS_ERROR_ARGUMENT;
    request->handle = handle;
    request->buffer = buffer;
    request->size = size;
    return enqueue(host, connection, request, PROCEDURE_READ);
}

enum ys_result ys_client_read_by_uuid(struct ys_host *host, uint16_t connection, struct ys_client_request *request,
                                      const struct ys_uuid *uuid, uint16_t first, uint16_t last, uint8_t *buffer,
                                      uint16_t size)
{
    enum ys_result result = check(request);
    if (result != YS_OK)
        return result;
    if (uuid == NULL || (uuid->length != 2 && uuid->length != 16) || (buffer == NULL && size > 0))
        return YS_ERROR_ARGUMENT;
    request->handle = first;
    request->last = last;
    request->uuid = *uuid;
    request->buffer = buffer;
    request->size = size;
    return enqueue(host, connection, request, PROCEDURE_READ_BY_UUID);
}

static enum ys_result enqueue_write(struct ys_host *host, uint16_t connection, struct ys_client_request *request,
                                    uint16_t handle, const uint8_t *value, uint16_t length, enum procedure procedure)
{
    enum ys_result result = check(request);
    uint16_t mtu = ys_host_mtu(host, connection);
    if (result != YS_OK)
        return result;
    if (mtu == 0)
        return YS_ERROR_NO_CONNECTION;
    if ((value == NULL && length > 0) || length > mtu - 3)
        return YS_ERROR_ARGUMENT;
    request->handle = handle;
    request->value = value;
    request->size = length;
    return enqueue(host, connection, request, procedure);
}

enum ys_result ys_client_write(struct ys_host *host, uint16_t connection, struct ys_client_request *request,
                               uint16_t handle, const uint8_t *value, uint16_t length)
{
    return enqueue_write(host, connection, request, handle, value, length, PROCEDURE_WRITE);
}

enum ys_result ys_client_write_command(struct ys_host *host, uint16_t connection, struct ys_client_request *request,
                                       uint16_t handle, const uint8_t *value, uint16_t length)
{
    return enqueue_write(host, connection, request, handle, value, length, PROCEDURE_WRITE_COMMAND);
}

enum ys_result ys_client_subscribe(struct ys_host *host, uint16_t connection, struct ys_client_request *request,
                                   uint16_t handle, enum ys_subscription subscription)
{
    enum ys_result result = check(request);
    if (result != YS_OK)
        return result;
    /* the two bytes are kept in the request itself */
    request->uuid = ys_uuid_of((uint16_t)subscription);
    return enqueue_write(host, connection, request, handle, request->uuid.bytes, 2, PROCEDURE_WRITE);
}
