/* The server of the attribute protocol (Core 5.4 Vol 3 Part F 3.4): each request is one row of a table, composes its
 * response in the connection's own memory, or an error. */
#include <string.h>

#include "host/internal.h"

#define TYPE_SERVICE   0x2800
#define TYPE_SECONDARY 0x2801

/* One request being answered. */
struct answer {
    struct ys_host *host;
    struct ys_connection *connection;
    const struct ys_att_pdu *request;
    struct ys_writer writer; /* of the response */
    uint16_t handle;         /* the attribute in error */
};

typedef uint8_t answer_fn(struct answer *answer);

static void put_opcode(struct answer *answer)
{
    ys_put_u8(&answer->writer, ys_att_response_to(answer->request->opcode));
}

/* The ends of a range of handles (3.3.1): a first of 0 or beyond the last is refused. */
static uint8_t check_range(struct answer *answer)
{
    answer->handle = answer->request->first;
    return answer->request->first == 0 || answer->request->first > answer->request->last ? YS_ATT_INVALID_HANDLE
                                                                                         : YS_ATT_OK;
}

static uint16_t last_handle(const struct answer *answer)
{
    uint16_t count = answer->host->table->attribute_count;
    return answer->request->last < count ? answer->request->last : count;
}

static size_t room(const struct answer *answer)
{
    return answer->connection->mtu - ys_writer_length(&answer->writer);
}

/* 3.4.2 */
static uint8_t exchange_mtu(struct answer *answer)
{
    uint16_t asked = answer->request->mtu;
    uint16_t own = answer->host->mtu;
    put_opcode(answer);
    ys_put_u16(&answer->writer, own);
    uint16_t agreed = asked < own ? asked : own;
    if (agreed < YS_ATT_MTU_DEFAULT)
        agreed = YS_ATT_MTU_DEFAULT;
    answer->connection->mtu = agreed;
    ys_emit(answer->host,
            &(struct ys_event){.kind = YS_EVENT_MTU, .connection = answer->connection->handle, .u.mtu = agreed});
    return YS_ATT_OK;
}

/* 3.4.3.1: handles with their types, as long as those are equally long. */
static uint8_t find_information(struct answer *answer)
{
    uint8_t error = check_range(answer);
    if (error != YS_ATT_OK)
        return error;
    const struct ys_table *table = answer->host->table;
    uint8_t length = 0;
    put_opcode(answer);
    for (uint32_t handle = answer->request->first; handle <= last_handle(answer); handle++) {
        struct ys_uuid type = ys_attribute_type(table, &table->attributes[handle - 1]);
        if (length == 0)
            ys_put_u8(&answer->writer, type.length == 2 ? YS_ATT_FORMAT_UUID_16 : YS_ATT_FORMAT_UUID_128);
        else if (type.length != length)
            break;
        if (room(answer) < 2u + type.length)
            break;
        length = type.length;
        ys_put_u16(&answer->writer, (uint16_t)handle);
        ys_put_uuid(&answer->writer, &type);
    }
    return length == 0 ? YS_ATT_ATTRIBUTE_NOT_FOUND : YS_ATT_OK;
}

static uint16_t group_end(const struct ys_table *table, uint16_t handle)
{
    const struct ys_attribute *attribute = &table->attributes[handle - 1];
    return ys_attribute_is_service(attribute) ? attribute->size : handle;
}

/* Reads a value whole into a little memory, to compare it or to see how long it is. */
static uint8_t read_short(struct answer *answer, uint16_t handle, struct ys_writer *value)
{
    answer->handle = handle;
    uint8_t error = ys_attribute_check_read(&answer->host->table->attributes[handle - 1]);
    return error != YS_ATT_OK ? error : ys_attribute_read(answer->host, answer->connection, handle, value);
}

/* A value equals the one asked for. UUIDs of services are compared in whatever length they are given. */
static bool has_value(struct answer *answer, uint16_t handle)
{
    const struct ys_att_pdu *request = answer->request;
    uint8_t bytes[32];
    struct ys_writer value = ys_writer_to(bytes, sizeof bytes);
    if (read_short(answer, handle, &value) != YS_ATT_OK)
        return false;
    size_t length = ys_writer_length(&value);
    const struct ys_attribute *attribute = &answer->host->table->attributes[handle - 1];
    if (ys_attribute_is_service(attribute)) {
        struct ys_uuid own = ys_uuid_from_air(bytes, length);
        struct ys_uuid asked = ys_uuid_from_air(request->value, request->length);
        return asked.length > 0 && ys_uuid_is_equal(&own, &asked);
    }
    return length == request->length && ys_writer_ok(&value) && memcmp(bytes, request->value, length) == 0;
}

/* 3.4.3.3: attributes of a type with a given value, each with the end of its group. */
static uint8_t find_by_type_value(struct answer *answer)
{
    uint8_t error = check_range(answer);
    if (error != YS_ATT_OK)
        return error;
    const struct ys_table *table = answer->host->table;
    bool found = false;
    put_opcode(answer);
    for (uint32_t i = answer->request->first; i <= last_handle(answer) && room(answer) >= 4; i++) {
        uint16_t handle = (uint16_t)i;
        if (!ys_attribute_has_type(table, &table->attributes[handle - 1], &answer->request->type) ||
            !has_value(answer, handle))
            continue;
        found = true;
        ys_put_u16(&answer->writer, handle);
        ys_put_u16(&answer->writer, group_end(table, handle));
    }
    answer->handle = answer->request->first;
    return found ? YS_ATT_OK : YS_ATT_ATTRIBUTE_NOT_FOUND;
}

/* The entries of a read by type or by group type response: equally long, as many as fit. */
struct entries {
    bool any;
    size_t value_length; /* of each */
};

/* Puts the value of `handle` as an entry. Returns the error of reading it; clears `*goes_on` if it does not go with
 * those before it, or fills the response. */
static uint8_t put_entry(struct answer *answer, struct entries *entries, uint16_t handle, bool grouped, bool *goes_on)
{
    size_t header = grouped ? 4 : 2;
    size_t mark = ys_writer_length(&answer->writer);
    *goes_on = false;
    if (room(answer) <= header)
        return YS_ATT_OK;
    ys_put_u16(&answer->writer, handle);
    if (grouped)
        ys_put_u16(&answer->writer, group_end(answer->host->table, handle));
    size_t start = ys_writer_length(&answer->writer);
    uint8_t error = ys_attribute_read(answer->host, answer->connection, handle, &answer->writer);
    size_t length = ys_writer_length(&answer->writer) - start;
    if (!entries->any && error == YS_ATT_OK) { /* 3.4.4.2: the first may be cut off, at 255 with its header */
        size_t limit = answer->connection->mtu - start < 255 - header ? answer->connection->mtu - start : 255 - header;
        entries->any = true;
        entries->value_length = length < limit ? length : limit;
        answer->writer.length = start + entries->value_length;
        *goes_on = true;
    } else if (error == YS_ATT_OK && ys_writer_ok(&answer->writer) && length == entries->value_length) {
        *goes_on = true;
    } else {
        answer->writer.length = mark;
    }
    return error;
}

/* 3.4.4.1 and 3.4.4.9: the values of all attributes of a type. An attribute that may not be read ends the list, and is
 * the error if it is the first. */
static uint8_t read_by_type(struct answer *answer)
{
    bool grouped = answer->request->opcode == YS_ATT_READ_BY_GROUP_TYPE_REQUEST;
    const struct ys_table *table = answer->host->table;
    struct entries entries = {.any = false};
    uint8_t error = check_range(answer);
    if (error != YS_ATT_OK)
        return error;
    uint32_t type = ys_uuid_number(&answer->request->type);
    if (grouped && type != TYPE_SERVICE && type != TYPE_SECONDARY)
        return YS_ATT_UNSUPPORTED_GROUP_TYPE;
    put_opcode(answer);
    ys_put_u8(&answer->writer, 0);
    for (uint32_t i = answer->request->first; i <= last_handle(answer); i++) {
        const struct ys_attribute *attribute = &table->attributes[i - 1];
        if (!ys_attribute_has_type(table, attribute, &answer->request->type))
            continue;
        bool goes_on = false;
        error = ys_attribute_check_read(attribute);
        if (error == YS_ATT_OK)
            error = put_entry(answer, &entries, (uint16_t)i, grouped, &goes_on);
        if (error != YS_ATT_OK && !entries.any) {
            answer->handle = (uint16_t)i;
            return error;
        }
        if (!goes_on)
            break;
    }
    answer->handle = answer->request->first;
    answer->writer.start[1] = (uint8_t)(entries.value_length + (grouped ? 4 : 2));
    return entries.any ? YS_ATT_OK : YS_ATT_ATTRIBUTE_NOT_FOUND;
}

static uint8_t read_from(struct answer *answer, uint16_t offset)
{
    answer->handle = answer->request->handle;
    const struct ys_attribute *attribute = ys_attribute_at(answer->host, answer->handle);
    if (attribute == NULL)
        return YS_ATT_INVALID_HANDLE;
    uint8_t error = ys_attribute_check_read(attribute);
    if (error != YS_ATT_OK)
        return error;
    put_opcode(answer);
    struct ys_writer window = ys_writer_window(answer->writer.start + 1, (size_t)answer->connection->mtu - 1, offset);
    error = ys_attribute_read(answer->host, answer->connection, answer->handle, &window);
    if (error == YS_ATT_OK && offset > ys_writer_length(&window))
        error = YS_ATT_INVALID_OFFSET;
    answer->writer.length = 1 + ys_writer_stored(&window);
    return error;
}

static uint8_t read(struct answer *answer)
{
    return read_from(answer, 0);
}

static uint8_t read_blob(struct answer *answer)
{
    return read_from(answer, answer->request->offset);
}

static uint8_t write_checked(struct answer *answer, bool command)
{
    const struct ys_att_pdu *request = answer->request;
    answer->handle = request->handle;
    const struct ys_attribute *attribute = ys_attribute_at(answer->host, request->handle);
    if (attribute == NULL)
        return YS_ATT_INVALID_HANDLE;
    uint8_t error = ys_attribute_check_write(attribute, request->length, command, attribute - 1);
    if (error != YS_ATT_OK)
        return error;
    struct ys_reader value = ys_reader_of(request->value, request->length);
    return ys_attribute_write(answer->host, answer->connection, request->handle, &value);
}

static uint8_t write(struct answer *answer)
{
    put_opcode(answer);
    return write_checked(answer, false);
}

static uint8_t write_command(struct answer *answer)
{
    return write_checked(answer, true);
}

static const struct {
    uint8_t opcode;
    answer_fn *answer;
} answers[] = {
    {YS_ATT_READ_REQUEST, read},
    {YS_ATT_WRITE_REQUEST, write},
    {YS_ATT_WRITE_COMMAND, write_command},
    {YS_ATT_READ_BLOB_REQUEST, read_blob},
    {YS_ATT_MTU_REQUEST, exchange_mtu},
    {YS_ATT_READ_BY_TYPE_REQUEST, read_by_type},
    {YS_ATT_READ_BY_GROUP_TYPE_REQUEST, read_by_type},
    {YS_ATT_FIND_INFORMATION_REQUEST, find_information},
    {YS_ATT_FIND_BY_TYPE_VALUE_REQUEST, find_by_type_value},
};

static answer_fn *find_answer(uint8_t opcode)
{
    for (size_t i = 0; i < sizeof answers / sizeof answers[0]; i++) {
        if (answers[i].opcode == opcode)
            return answers[i].answer;
    }
    return NULL;
}

static void put_error(struct answer *answer, uint8_t error)
{
    answer->writer.length = 0;
    ys_put_att(&answer->writer, &(struct ys_att_pdu){.opcode = YS_ATT_ERROR_RESPONSE,
                                                     .request = answer->request->opcode,
                                                     .handle = answer->handle,
                                                     .error = error});
}

/* Bits 0 to 5 of an opcode say the method. Even methods are asked for, odd ones answer; so it is in the whole table of
 * Part F 3.4.8, and an unknown even one is a request that is not supported. */
static bool is_for_client(uint8_t opcode)
{
    return (opcode & YS_ATT_COMMAND_FLAG) == 0 && (opcode & 1) != 0;
}

static void answer_request(struct ys_host *host, struct ys_connection *connection, const struct ys_att_pdu *request,
                           enum ys_att_verdict verdict)
{
    bool command = (request->opcode & YS_ATT_COMMAND_FLAG) != 0;
    answer_fn *found = find_answer(request->opcode);
    if (!command && connection->response.length > 0) { /* 3.3.2: one request at a time; the second is out of turn */
        ys_log(host, "dropped a request before the last was answered, opcode", request->opcode);
        return;
    }
    struct answer answer = {
        .host = host,
        .connection = connection,
        .request = request,
        .writer = ys_l2cap_writer(&connection->response, connection->mtu),
    };
    uint8_t error = YS_ATT_REQUEST_NOT_SUPPORTED;
    if (verdict == YS_ATT_MALFORMED)
        error = YS_ATT_INVALID_PDU;
    else if (found != NULL)
        error = found(&answer);
    if (command) /* 3.3.1: whatever happens, nothing is said */
        return;
    if (error != YS_ATT_OK)
        put_error(&answer, error);
    ys_l2cap_seal(&connection->response, YS_L2CAP_ATT, ys_writer_stored(&answer.writer));
}

void ys_server_receive(struct ys_host *host, struct ys_connection *connection, const uint8_t *pdu, size_t length)
{
    struct ys_att_pdu decoded;
    enum ys_att_verdict verdict = ys_att_decode(pdu, length, &decoded);
    if (is_for_client(decoded.opcode))
        ys_client_receive(host, connection, &decoded, verdict);
    else if (decoded.opcode != YS_ATT_CONFIRMATION) /* no indication was sent that it could confirm */
        answer_request(host, connection, &decoded, verdict);
}
