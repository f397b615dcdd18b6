/* The server's requests for values (Core 5.4 Vol 3 Part F 3.4.4 to 3.4.6). */
#include "host/gatt/server/access.h"

#include "host/gatt/server/attributes.h"
#include "host/gatt/server/queue.h"

static uint8_t read_from(struct answer *answer, uint16_t offset)
{
    answer->handle = answer->request->handle;
    const struct ys_attribute *attribute = ys_attribute_at(answer->host, answer->handle);
    if (attribute == NULL)
        return YS_ATT_INVALID_HANDLE;
    uint8_t error = ys_attribute_check_read(answer->host, answer->connection, attribute);
    if (error != YS_ATT_OK)
        return error;
    ys_answer_begin(answer);
    struct ys_writer window = ys_writer_window(answer->writer.start + 1, (size_t)answer->connection->mtu - 1, offset);
    error = ys_attribute_read(answer->host, answer->connection, answer->handle, &window);
    if (error == YS_ATT_OK && offset > ys_writer_length(&window))
        error = YS_ATT_INVALID_OFFSET;
    answer->writer.length = 1 + ys_writer_stored(&window);
    return error;
}

/* Vol 3 Part F 3.4.4.3, 3.4.4.4. */
uint8_t ys_server_read(struct answer *answer)
{
    return read_from(answer, 0);
}

/* Vol 3 Part F 3.2.9, 3.4.4.5, 3.4.4.6. */
uint8_t ys_server_read_blob(struct answer *answer)
{
    return read_from(answer, answer->request->offset);
}

/* Puts one value of several; `lengths` puts its length before it (Vol 3 Part F 3.4.4.11). What does not fit is cut off.
 */
static uint8_t put_one(struct answer *answer, uint16_t handle, bool lengths)
{
    answer->handle = handle;
    const struct ys_attribute *attribute = ys_attribute_at(answer->host, handle);
    if (attribute == NULL)
        return YS_ATT_INVALID_HANDLE;
    uint8_t error = ys_attribute_check_read(answer->host, answer->connection, attribute);
    if (error != YS_ATT_OK)
        return error;
    size_t mark = ys_writer_length(&answer->writer);
    if (lengths)
        ys_put_u16(&answer->writer, 0);
    size_t start = ys_writer_length(&answer->writer);
    error = ys_attribute_read(answer->host, answer->connection, handle, &answer->writer);
    size_t length = ys_writer_length(&answer->writer) - start;
    for (size_t i = 0; lengths && i < 2 && mark + i < answer->connection->mtu; i++) /* also cut off, byte by byte */
        answer->writer.start[mark + i] = (uint8_t)(length >> 8 * i);
    return error;
}

/* Vol 3 Part F 3.4.4.7 and 3.4.4.11: the values of at least two attributes, one after the other. All of them must be
 * readable, also those that are cut off (Vol 3 Part F 3.4.4.8, 3.4.4.11, 3.4.4.12). */
uint8_t ys_server_read_multiple(struct answer *answer)
{
    const struct ys_att_pdu *request = answer->request;
    bool lengths = request->opcode == YS_ATT_READ_VARIABLE_REQUEST;
    struct ys_reader handles = ys_reader_of(request->value, request->length);
    answer->handle = 0;
    if (request->length < 4 || request->length % 2 != 0)
        return YS_ATT_INVALID_PDU;
    ys_answer_begin(answer);
    while (ys_reader_left(&handles) > 0) {
        uint8_t error = put_one(answer, ys_get_u16(&handles), lengths);
        if (error != YS_ATT_OK)
            return error;
    }
    return YS_ATT_OK;
}

static uint8_t write_checked(struct answer *answer, bool command)
{
    const struct ys_att_pdu *request = answer->request;
    answer->handle = request->handle;
    const struct ys_attribute *attribute = ys_attribute_at(answer->host, request->handle);
    if (attribute == NULL)
        return YS_ATT_INVALID_HANDLE;
    uint8_t error = ys_attribute_check_write(answer->host, answer->connection, attribute, command);
    if (error == YS_ATT_OK)
        error = ys_attribute_check_length(attribute, request->length);
    if (error == YS_ATT_OK)
        error = ys_attribute_consent_to_write(answer->host, answer->connection, attribute);
    if (error != YS_ATT_OK)
        return error;
    struct ys_reader value = ys_reader_of(request->value, request->length);
    return ys_attribute_write(answer->host, answer->connection, request->handle, &value);
}

/* Vol 3 Part F 3.4.5.1, 3.4.5.2. */
uint8_t ys_server_write(struct answer *answer)
{
    uint8_t error = write_checked(answer, false);
    ys_answer_begin(answer);
    return error;
}

/* Vol 3 Part F 3.4.5.3. */
uint8_t ys_server_write_command(struct answer *answer)
{
    return write_checked(answer, true);
}

/* Vol 3 Part F 3.4.6.1: the right to write is checked now; offset, length and consent when all is executed. The answer
 * repeats the request, so that the client can see that it came across (Vol 3 Part F 3.4.6.2). */
uint8_t ys_server_prepare_write(struct answer *answer)
{
    const struct ys_att_pdu *request = answer->request;
    answer->handle = request->handle;
    const struct ys_attribute *attribute = ys_attribute_at(answer->host, request->handle);
    if (attribute == NULL)
        return YS_ATT_INVALID_HANDLE;
    uint8_t error = ys_attribute_check_write(answer->host, answer->connection, attribute, false);
    if (error == YS_ATT_OK)
        error = ys_queue_add(answer->host, answer->connection, request);
    if (error != YS_ATT_OK)
        return error;
    ys_answer_begin(answer);
    ys_put_u16(&answer->writer, request->handle);
    ys_put_u16(&answer->writer, request->offset);
    ys_put_bytes(&answer->writer, request->value, request->length);
    return YS_ATT_OK;
}

/* Vol 3 Part F 3.4.6.3, 3.4.6.4. */
uint8_t ys_server_execute_write(struct answer *answer)
{
    uint8_t error = YS_ATT_OK;
    answer->handle = 0;
    if (answer->request->format > 1)
        return YS_ATT_INVALID_PDU;
    if (answer->request->format == 1)
        error = ys_queue_execute(answer->host, answer->connection, &answer->handle);
    if (error != YS_LATER)
        ys_queue_cancel(answer->host, answer->connection);
    ys_answer_begin(answer);
    return error;
}
