/* The server's requests that find out what there is (Core 5.4 Vol 3 Part F 3.4.3, 3.4.4.1, 3.4.4.9). */
#include "host/gatt/server/find.h"

#include <string.h>

#include "host/gatt/server/attributes.h"

#define TYPE_SERVICE   0x2800
#define TYPE_SECONDARY 0x2801

/* The ends of a range of handles (Vol 3 Part F 3.3.1): a first of 0 or beyond the last is refused (Vol 3 Part F 3.2.2).
 */
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

/* Vol 3 Part F 3.4.3.1: handles with their types, as long as those are equally long (Vol 3 Part F 3.4.3.2). */
uint8_t ys_server_find_information(struct answer *answer)
{
    uint8_t error = check_range(answer);
    if (error != YS_ATT_OK)
        return error;
    const struct ys_table *table = answer->host->table;
    uint8_t length = 0;
    ys_answer_begin(answer);
    for (uint32_t handle = answer->request->first; handle <= last_handle(answer); handle++) {
        struct ys_uuid type = ys_attribute_type(table, &table->attributes[handle - 1]);
        if (length == 0)
            ys_put_u8(&answer->writer, type.length == 2 ? YS_ATT_FORMAT_UUID_16 : YS_ATT_FORMAT_UUID_128);
        else if (type.length != length)
            break;
        if (ys_answer_room(answer) < 2u + type.length)
            break;
        length = type.length;
        ys_put_u16(&answer->writer, (uint16_t)handle);
        ys_put_uuid(&answer->writer, &type);
    }
    return length == 0 ? YS_ATT_ATTRIBUTE_NOT_FOUND : YS_ATT_OK;
}

/* Vol 3 Part F 3.2.3. */
static uint16_t group_end(const struct ys_table *table, uint16_t handle)
{
    const struct ys_attribute *attribute = &table->attributes[handle - 1];
    return ys_attribute_is_service(attribute) ? attribute->size : handle;
}

/* Reads a complete value into a small buffer, to compare it or to get its length. */
static uint8_t read_short(struct answer *answer, uint16_t handle, struct ys_writer *value)
{
    answer->handle = handle;
    uint8_t error =
        ys_attribute_check_read(answer->host, answer->connection, &answer->host->table->attributes[handle - 1]);
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

/* Vol 3 Part F 3.4.3.3: attributes of a type with a given value, each with the end of its group (Vol 3 Part F 3.4.3.4).
 */
uint8_t ys_server_find_by_type_value(struct answer *answer)
{
    uint8_t error = check_range(answer);
    if (error != YS_ATT_OK)
        return error;
    const struct ys_table *table = answer->host->table;
    bool found = false;
    ys_answer_begin(answer);
    for (uint32_t i = answer->request->first; i <= last_handle(answer) && ys_answer_room(answer) >= 4; i++) {
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
    if (ys_answer_room(answer) <= header)
        return YS_ATT_OK;
    ys_put_u16(&answer->writer, handle);
    if (grouped)
        ys_put_u16(&answer->writer, group_end(answer->host->table, handle));
    size_t start = ys_writer_length(&answer->writer);
    uint8_t error = ys_attribute_read(answer->host, answer->connection, handle, &answer->writer);
    size_t length = ys_writer_length(&answer->writer) - start;
    /* Vol 3 Part F 3.4.4.2: the first may be cut off, at 255 with its header */
    if (!entries->any && error == YS_ATT_OK) {
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

/* Vol 3 Part F 3.4.4.1 and 3.4.4.9: the values of all attributes of a type. An attribute that may not be read ends the
 * list, and is the error if it is the first (Vol 3 Part F 3.4.4.2, 3.4.4.9, 3.4.4.10). */
uint8_t ys_server_read_by_type(struct answer *answer)
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
    ys_answer_begin(answer);
    ys_put_u8(&answer->writer, 0);
    for (uint32_t i = answer->request->first; i <= last_handle(answer); i++) {
        const struct ys_attribute *attribute = &table->attributes[i - 1];
        if (!ys_attribute_has_type(table, attribute, &answer->request->type))
            continue;
        bool goes_on = false;
        error = ys_attribute_check_read(answer->host, answer->connection, attribute);
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
