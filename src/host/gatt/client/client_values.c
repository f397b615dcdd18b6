/* How a client reads and writes values (Core 5.4 Vol 3 Part G 4.8 to 4.12). */
#include <string.h>

#include "host/gatt/client/client.h"

/* Reading (Vol 3 Part F 3.4.4.3, 3.4.4.4, 3.4.4.5, 3.4.4.6) */

static void ask_read(const struct ys_connection *connection, const struct ys_client_request *request,
                     struct ys_att_pdu *pdu)
{
    (void)connection;
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

/* Vol 3 Part F 3.2.9. */
static enum ys_next answer_read(struct ys_connection *connection, struct ys_client_request *request,
                                const struct ys_att_pdu *pdu)
{
    if (!take(request, pdu->value, pdu->length))
        return YS_NEXT_TOO_LONG;
    request->step = 1;
    /* a full answer may have more after it (Vol 3 Part F 3.4.4.5), up to the longest value there is */
    return pdu->length == connection->mtu - 1u && request->length < YS_ATT_VALUE_MAX ? YS_NEXT_ASK : YS_NEXT_DONE;
}

static enum ys_next read_error(struct ys_client_request *request, uint8_t error)
{
    bool at_end = request->step == 1 && (error == YS_ATT_INVALID_OFFSET || error == YS_ATT_ATTRIBUTE_NOT_LONG);
    return at_end ? YS_NEXT_DONE : YS_NEXT_REFUSED;
}

static const struct ys_procedure read_value = {.ask = ask_read, .answer = answer_read, .error = read_error};

/* Vol 3 Part F 3.4.4.1, 3.4.4.2. */
static void ask_read_by_uuid(const struct ys_connection *connection, const struct ys_client_request *request,
                             struct ys_att_pdu *pdu)
{
    (void)connection;
    *pdu = (struct ys_att_pdu){
        .opcode = YS_ATT_READ_BY_TYPE_REQUEST,
        .first = request->handle,
        .last = request->last,
        .type = request->uuid,
    };
}

/* Vol 3 Part F 3.4.4.1, 3.4.4.2. */
static enum ys_next answer_read_by_uuid(struct ys_connection *connection, struct ys_client_request *request,
                                        const struct ys_att_pdu *pdu)
{
    struct ys_reader reader = ys_reader_of(pdu->value, pdu->length);
    (void)connection;
    if (pdu->format < 2 || pdu->length == 0 || pdu->length % pdu->format != 0)
        return YS_NEXT_MALFORMED;
    (void)ys_get_u16(&reader); /* its handle */
    size_t length = (size_t)pdu->format - 2;
    return take(request, ys_get_bytes(&reader, length), length) ? YS_NEXT_DONE : YS_NEXT_TOO_LONG;
}

static const struct ys_procedure read_by_uuid = {.ask = ask_read_by_uuid, .answer = answer_read_by_uuid};

/* Vol 3 Part F 3.4.4.11, 3.4.4.12. */
static void ask_read_multiple(const struct ys_connection *connection, const struct ys_client_request *request,
                              struct ys_att_pdu *pdu)
{
    (void)connection;
    *pdu = (struct ys_att_pdu){
        .opcode = YS_ATT_READ_VARIABLE_REQUEST, .handles = request->handles, .handle_count = request->part_count};
}

/* Vol 3 Part F 3.4.4.11, 3.4.4.12. */
static enum ys_next answer_read_multiple(struct ys_connection *connection, struct ys_client_request *request,
                                         const struct ys_att_pdu *pdu)
{
    (void)connection;
    return take(request, pdu->value, pdu->length) ? YS_NEXT_DONE : YS_NEXT_TOO_LONG;
}

static const struct ys_procedure read_multiple = {.ask = ask_read_multiple, .answer = answer_read_multiple};

/* Writing (Vol 3 Part F 3.4.5.1, 3.4.5.2) */

static void ask_write(const struct ys_connection *connection, const struct ys_client_request *request,
                      struct ys_att_pdu *pdu)
{
    const struct ys_client_part *part = &request->own_part;
    (void)connection;
    *pdu = (struct ys_att_pdu){
        .opcode = request->procedure->command ? YS_ATT_WRITE_COMMAND : YS_ATT_WRITE_REQUEST,
        .handle = part->handle,
        .value = part->value,
        .length = part->length,
    };
}

/* Vol 3 Part F 3.4.5.1, 3.4.5.2. */
static enum ys_next answer_write(struct ys_connection *connection, struct ys_client_request *request,
                                 const struct ys_att_pdu *pdu)
{
    (void)connection;
    (void)request;
    (void)pdu;
    return YS_NEXT_DONE;
}

static const struct ys_procedure write_value = {.ask = ask_write, .answer = answer_write};
static const struct ys_procedure write_command = {.command = true, .ask = ask_write};

/* Queued writes: parts of values are prepared, then all are executed; or, if one was refused or did not come across as
 * it was sent, cancelled. */
enum queued_step { QUEUED_PREPARE, QUEUED_EXECUTE, QUEUED_CANCEL };

static const struct ys_client_part *current_part(const struct ys_client_request *request)
{
    return request->parts != NULL ? &request->parts[request->part] : &request->own_part;
}

static size_t piece_length(const struct ys_connection *connection, const struct ys_client_request *request)
{
    size_t left = (size_t)current_part(request)->length - request->written;
    size_t most = connection->mtu - 5u;
    return left < most ? left : most;
}

/* Vol 3 Part F 3.4.6.1, 3.4.6.2. */
static void ask_queued(const struct ys_connection *connection, const struct ys_client_request *request,
                       struct ys_att_pdu *pdu)
{
    if (request->step != QUEUED_PREPARE) {
        *pdu = (struct ys_att_pdu){.opcode = YS_ATT_EXECUTE_WRITE_REQUEST, .format = request->step == QUEUED_EXECUTE};
        return;
    }
    *pdu = (struct ys_att_pdu){
        .opcode = YS_ATT_PREPARE_WRITE_REQUEST,
        .handle = current_part(request)->handle,
        .offset = request->written,
        .value = current_part(request)->value + request->written,
        .length = piece_length(connection, request),
    };
}

static enum ys_next cancel_queued(struct ys_client_request *request, uint8_t refusal)
{
    request->refusal = refusal;
    request->step = QUEUED_CANCEL;
    return YS_NEXT_ASK;
}

/* Vol 3 Part F 3.4.6.1, 3.4.6.2. */
static enum ys_next answer_queued(struct ys_connection *connection, struct ys_client_request *request,
                                  const struct ys_att_pdu *pdu)
{
    const struct ys_client_part *part = current_part(request);
    if (request->step == QUEUED_EXECUTE)
        return YS_NEXT_DONE;
    if (request->step == QUEUED_CANCEL) {
        request->error = request->refusal;
        return request->refusal != YS_ATT_OK ? YS_NEXT_REFUSED : YS_NEXT_CANCELLED;
    }
    size_t length = piece_length(connection, request);
    if (pdu->handle != part->handle || pdu->offset != request->written || pdu->length != length ||
        (length > 0 && memcmp(pdu->value, part->value + request->written, length) != 0))
        return cancel_queued(request, YS_ATT_OK);
    request->written = (uint16_t)(request->written + length);
    if (request->written == part->length) {
        request->part++;
        request->written = 0;
    }
    if (request->part == request->part_count)
        request->step = QUEUED_EXECUTE;
    return YS_NEXT_ASK;
}

static enum ys_next queued_error(struct ys_client_request *request, uint8_t error)
{
    if (request->step == QUEUED_PREPARE)
        return cancel_queued(request, error);
    if (request->step == QUEUED_CANCEL)
        request->error = request->refusal;
    return YS_NEXT_REFUSED;
}

static const struct ys_procedure write_queued = {.ask = ask_queued, .answer = answer_queued, .error = queued_error};

/* Vol 3 Part G 4.8.1, 4.8.3, 4.12.1 to 4.12.4. */
enum ys_result ys_client_read(struct ys_host *host, uint16_t connection, struct ys_client_request *request,
                              uint16_t handle, uint8_t *buffer, uint16_t size)
{
    enum ys_result result = ys_client_prepare(request);
    if (result != YS_OK)
        return result;
    if (buffer == NULL && size > 0)
        return YS_ERROR_ARGUMENT;
    request->handle = handle;
    request->buffer = buffer;
    request->size = size;
    return ys_client_begin(host, connection, request, &read_value);
}

/* Vol 3 Part G 4.8.2; Vol 3 Part C 9.2.7. */
enum ys_result ys_client_read_by_uuid(struct ys_host *host, uint16_t connection, struct ys_client_request *request,
                                      const struct ys_uuid *uuid, uint16_t first, uint16_t last, uint8_t *buffer,
                                      uint16_t size)
{
    enum ys_result result = ys_client_prepare(request);
    if (result != YS_OK)
        return result;
    if (uuid == NULL || (uuid->length != 2 && uuid->length != 16) || (buffer == NULL && size > 0))
        return YS_ERROR_ARGUMENT;
    request->handle = first;
    request->last = last;
    request->uuid = *uuid;
    request->buffer = buffer;
    request->size = size;
    return ys_client_begin(host, connection, request, &read_by_uuid);
}

/* Vol 3 Part G 4.8.5. */
enum ys_result ys_client_read_multiple(struct ys_host *host, uint16_t connection, struct ys_client_request *request,
                                       const uint16_t *handles, uint16_t count, uint8_t *buffer, uint16_t size)
{
    enum ys_result result = ys_client_prepare(request);
    uint16_t mtu = ys_host_mtu(host, connection);
    if (result != YS_OK)
        return result;
    if (mtu == 0)
        return YS_ERROR_NO_CONNECTION;
    if (handles == NULL || count < 2 || count > (mtu - 1) / 2 || (buffer == NULL && size > 0))
        return YS_ERROR_ARGUMENT;
    request->handles = handles;
    request->buffer = buffer;
    request->size = size;
    request->part_count = count;
    return ys_client_begin(host, connection, request, &read_multiple);
}

static enum ys_result begin_write(struct ys_host *host, uint16_t connection, struct ys_client_request *request,
                                  uint16_t handle, const uint8_t *value, uint16_t length,
                                  const struct ys_procedure *procedure)
{
    enum ys_result result = ys_client_prepare(request);
    uint16_t mtu = ys_host_mtu(host, connection);
    if (result != YS_OK)
        return result;
    if (mtu == 0)
        return YS_ERROR_NO_CONNECTION;
    if (length > mtu - 3 && procedure == &write_value)
        procedure = &write_queued;
    if ((value == NULL && length > 0) || length > YS_ATT_VALUE_MAX || (length > mtu - 3 && procedure->command))
        return YS_ERROR_ARGUMENT;
    request->own_part = (struct ys_client_part){.handle = handle, .length = length, .value = value};
    return ys_client_begin(host, connection, request, procedure);
}

/* Vol 3 Part G 4.9.3, 4.9.4, 4.12.1 to 4.12.4. */
enum ys_result ys_client_write(struct ys_host *host, uint16_t connection, struct ys_client_request *request,
                               uint16_t handle, const uint8_t *value, uint16_t length)
{
    return begin_write(host, connection, request, handle, value, length, &write_value);
}

/* Vol 3 Part G 4.9.5. */
enum ys_result ys_client_write_reliable(struct ys_host *host, uint16_t connection, struct ys_client_request *request,
                                        const struct ys_client_part *parts, uint16_t count)
{
    enum ys_result result = ys_client_prepare(request);
    if (result != YS_OK)
        return result;
    if (parts == NULL || count == 0)
        return YS_ERROR_ARGUMENT;
    for (uint16_t i = 0; i < count; i++) {
        if (parts[i].length > YS_ATT_VALUE_MAX || (parts[i].value == NULL && parts[i].length > 0))
            return YS_ERROR_ARGUMENT;
    }
    request->parts = parts;
    request->part_count = count;
    return ys_client_begin(host, connection, request, &write_queued);
}

/* Vol 3 Part F 3.4.5.3; Vol 3 Part G 4.9.1. */
enum ys_result ys_client_write_command(struct ys_host *host, uint16_t connection, struct ys_client_request *request,
                                       uint16_t handle, const uint8_t *value, uint16_t length)
{
    return begin_write(host, connection, request, handle, value, length, &write_command);
}

enum ys_result ys_client_subscribe(struct ys_host *host, uint16_t connection, struct ys_client_request *request,
                                   uint16_t handle, enum ys_subscription subscription)
{
    enum ys_result result = ys_client_prepare(request);
    if (result != YS_OK)
        return result;
    request->uuid = ys_uuid_of((uint16_t)subscription); /* the two bytes are kept in the request itself */
    return begin_write(host, connection, request, handle, request->uuid.bytes, 2, &write_value);
}
