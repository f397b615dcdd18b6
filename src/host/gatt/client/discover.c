/* Discovery of a server's table (Core 5.4 Vol 3 Part G 4.4 to 4.7), and its cache. */
#include <string.h>

#include "host/gatt/client/client.h"

#define TYPE_SERVICE        0x2800
#define TYPE_INCLUDE        0x2802
#define TYPE_CHARACTERISTIC 0x2803
#define TYPE_DATABASE_HASH  0x2b2a

/* Discovery: services, then includes, characteristics and descriptors, each over all handles */

enum discover_step {
    DISCOVER_SERVICES,
    DISCOVER_INCLUDES,
    DISCOVER_CHARACTERISTICS,
    DISCOVER_DESCRIPTORS,
    DISCOVER_END,
    DISCOVER_HASH /* before all, where there is a cache */
};

static void ask_discover(const struct ys_connection *connection, const struct ys_client_request *request,
                         struct ys_att_pdu *pdu)
{
    (void)connection;
    *pdu = (struct ys_att_pdu){.first = request->handle, .last = request->last};
    if (request->step == DISCOVER_HASH) {
        pdu->opcode = YS_ATT_READ_BY_TYPE_REQUEST;
        pdu->type = ys_uuid_of(TYPE_DATABASE_HASH);
    } else if (request->step == DISCOVER_SERVICES) {
        pdu->opcode = YS_ATT_READ_BY_GROUP_TYPE_REQUEST;
        pdu->type = ys_uuid_of(TYPE_SERVICE);
    } else if (request->step != DISCOVER_DESCRIPTORS) {
        pdu->opcode = YS_ATT_READ_BY_TYPE_REQUEST;
        pdu->type = ys_uuid_of(request->step == DISCOVER_INCLUDES ? TYPE_INCLUDE : TYPE_CHARACTERISTIC);
    } else {
        pdu->opcode = YS_ATT_FIND_INFORMATION_REQUEST;
    }
}

/* Reads one entry of an answer; its length is `size`. False if it does not go on from where the last one ended (Vol 3
 * Part F 3.4.4.9, 3.4.4.10). */
static bool get_service(struct ys_reader *reader, size_t size, struct ys_found *found)
{
    found->kind = YS_FOUND_SERVICE;
    found->handle = ys_get_u16(reader);
    found->last_handle = ys_get_u16(reader);
    found->uuid = ys_uuid_from_air(ys_get_bytes(reader, size - 4), size - 4);
    return found->last_handle >= found->handle;
}

/* A service with a UUID of 128 bits is told without it (Vol 3 Part G 3.2, 4.5.1). */
static bool get_include(struct ys_reader *reader, size_t size, struct ys_found *found)
{
    found->kind = YS_FOUND_INCLUDE;
    found->handle = ys_get_u16(reader);
    found->value_handle = ys_get_u16(reader);
    found->last_handle = ys_get_u16(reader);
    if (size == 8)
        found->uuid = ys_uuid_from_air(ys_get_bytes(reader, 2), 2);
    return found->value_handle > 0 && found->last_handle >= found->value_handle;
}

/* Vol 3 Part G 3.3.1, 3.3.1.1 to 3.3.1.3, 3.3.2, 4.6.1. */
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

/* Vol 3 Part F 3.4.3.1, 3.4.3.2; Vol 3 Part G 4.7.1. */
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

struct discover_row {
    size_t sizes[2]; /* that an entry can have */
    bool (*get)(struct ys_reader *reader, size_t size, struct ys_found *found);
};

static const struct discover_row discover_rows[] = {
    [DISCOVER_SERVICES] = {{6, 20}, get_service},
    [DISCOVER_INCLUDES] = {{8, 6}, get_include},
    [DISCOVER_CHARACTERISTICS] = {{7, 21}, get_characteristic},
    [DISCOVER_DESCRIPTORS] = {{4, 18}, get_descriptor},
};

static enum ys_next next_step(struct ys_client_request *request)
{
    request->step++;
    request->handle = 1;
    if (request->step == DISCOVER_END && request->cache != NULL)
        request->cache->complete = true;
    return request->step == DISCOVER_END || request->only_uuid ? YS_NEXT_DONE : YS_NEXT_ASK;
}

static size_t entry_size(const struct ys_client_request *request, const struct ys_att_pdu *pdu)
{
    if (request->step != DISCOVER_DESCRIPTORS)
        return pdu->format;
    return pdu->format == YS_ATT_FORMAT_UUID_16 ? 4 : pdu->format == YS_ATT_FORMAT_UUID_128 ? 18 : 0;
}

static bool is_wanted(struct ys_client_request *request, const struct ys_found *found)
{
    if (request->only_uuid)
        return ys_uuid_is_equal(&request->uuid, &found->uuid);
    return request->step != DISCOVER_DESCRIPTORS || is_descriptor(request, found);
}

/* Reports an item, and caches it; a cache that is too small is not used. */
static void take_found(struct ys_client_request *request, const struct ys_found *found)
{
    struct ys_client_cache *cache = request->cache;
    request->on_item(request, found);
    if (cache == NULL)
        return;
    if (cache->count == cache->capacity)
        request->cache = NULL;
    else
        cache->items[cache->count++] = *found;
}

/* Begins discovery; the result is cached if the server has a database hash. */
static enum ys_next discover_all(struct ys_client_request *request, const uint8_t *hash)
{
    struct ys_client_cache *cache = request->cache;
    cache->complete = false;
    cache->count = 0;
    if (hash != NULL)
        memcpy(cache->hash, hash, sizeof cache->hash);
    else
        request->cache = NULL;
    request->step = DISCOVER_SERVICES;
    return YS_NEXT_ASK;
}

/* One entry: a handle, and the hash (Vol 3 Part G 7.3). */
static enum ys_next answer_hash(struct ys_client_request *request, const struct ys_att_pdu *pdu)
{
    struct ys_client_cache *cache = request->cache;
    if (pdu->format != 2 + sizeof cache->hash || pdu->length != pdu->format)
        return YS_NEXT_MALFORMED;
    const uint8_t *hash = pdu->value + 2;
    if (!cache->complete || memcmp(cache->hash, hash, sizeof cache->hash) != 0)
        return discover_all(request, hash);
    for (uint16_t i = 0; i < cache->count; i++)
        request->on_item(request, &cache->items[i]);
    return YS_NEXT_DONE;
}

static enum ys_next answer_discover(struct ys_connection *connection, struct ys_client_request *request,
                                    const struct ys_att_pdu *pdu)
{
    (void)connection;
    if (request->step == DISCOVER_HASH)
        return answer_hash(request, pdu);
    const struct discover_row *row = &discover_rows[request->step];
    size_t size = entry_size(request, pdu);
    if (size == 0 || (size != row->sizes[0] && size != row->sizes[1]) || pdu->length == 0 || pdu->length % size != 0)
        return YS_NEXT_MALFORMED;
    struct ys_reader reader = ys_reader_of(pdu->value, pdu->length);
    while (ys_reader_left(&reader) > 0) {
        struct ys_found found = {.properties = 0};
        /* handles must grow, or the discovery would never end */
        if (!row->get(&reader, size, &found) || found.handle < request->handle)
            return YS_NEXT_MALFORMED;
        if (is_wanted(request, &found))
            take_found(request, &found);
        uint16_t last = found.kind == YS_FOUND_SERVICE ? found.last_handle : found.handle;
        if (last >= request->last)
            return next_step(request);
        request->handle = (uint16_t)(last + 1);
    }
    return YS_NEXT_ASK;
}

static enum ys_next discover_error(struct ys_client_request *request, uint8_t error)
{
    if (request->step == DISCOVER_HASH)
        return discover_all(request, NULL); /* it has none, or does not give it */
    return error == YS_ATT_ATTRIBUTE_NOT_FOUND ? next_step(request) : YS_NEXT_REFUSED;
}

static const struct ys_procedure discover = {.ask = ask_discover, .answer = answer_discover, .error = discover_error};

/* Finding services by UUID (Vol 3 Part F 3.4.3.3, 3.4.3.4) */

static void ask_service(const struct ys_connection *connection, const struct ys_client_request *request,
                        struct ys_att_pdu *pdu)
{
    (void)connection;
    *pdu = (struct ys_att_pdu){
        .opcode = YS_ATT_FIND_BY_TYPE_VALUE_REQUEST,
        .first = request->handle,
        .last = 0xffff,
        .type = ys_uuid_of(TYPE_SERVICE),
        .value = request->uuid.bytes,
        .length = request->uuid.length,
    };
}

/* Vol 3 Part F 3.4.3.3, 3.4.3.4. */
static enum ys_next answer_service(struct ys_connection *connection, struct ys_client_request *request,
                                   const struct ys_att_pdu *pdu)
{
    (void)connection;
    if (pdu->length == 0 || pdu->length % 4 != 0)
        return YS_NEXT_MALFORMED;
    struct ys_reader reader = ys_reader_of(pdu->value, pdu->length);
    while (ys_reader_left(&reader) > 0) {
        struct ys_found found = {.kind = YS_FOUND_SERVICE, .uuid = request->uuid};
        found.handle = ys_get_u16(&reader);
        found.last_handle = ys_get_u16(&reader);
        if (found.handle < request->handle || found.last_handle < found.handle)
            return YS_NEXT_MALFORMED;
        request->on_item(request, &found);
        if (found.last_handle == 0xffff)
            return YS_NEXT_DONE;
        request->handle = (uint16_t)(found.last_handle + 1);
    }
    return YS_NEXT_ASK;
}

static enum ys_next service_error(struct ys_client_request *request, uint8_t error)
{
    (void)request;
    return error == YS_ATT_ATTRIBUTE_NOT_FOUND ? YS_NEXT_DONE : YS_NEXT_REFUSED;
}

static const struct ys_procedure find_service = {.ask = ask_service, .answer = answer_service, .error = service_error};

/* Vol 3 Part G 4.4.1. */
enum ys_result ys_client_discover(struct ys_host *host, uint16_t connection, struct ys_client_request *request)
{
    enum ys_result result = ys_client_prepare(request);
    if (result != YS_OK)
        return result;
    if (request->on_item == NULL)
        return YS_ERROR_ARGUMENT;
    request->handle = 1;
    request->last = 0xffff;
    return ys_client_begin(host, connection, request, &discover);
}

enum ys_result ys_client_discover_cached(struct ys_host *host, uint16_t connection, struct ys_client_request *request,
                                         struct ys_client_cache *cache)
{
    enum ys_result result = ys_client_prepare(request);
    if (result != YS_OK)
        return result;
    if (request->on_item == NULL || cache == NULL || (cache->items == NULL && cache->capacity > 0) ||
        cache->count > cache->capacity)
        return YS_ERROR_ARGUMENT;
    request->handle = 1;
    request->last = 0xffff;
    request->step = DISCOVER_HASH;
    request->cache = cache;
    return ys_client_begin(host, connection, request, &discover);
}

/* Vol 3 Part G 4.6.2. */
enum ys_result ys_client_find_characteristics(struct ys_host *host, uint16_t connection,
                                              struct ys_client_request *request, const struct ys_uuid *uuid,
                                              uint16_t first, uint16_t last)
{
    enum ys_result result = ys_client_prepare(request);
    if (result != YS_OK)
        return result;
    if (request->on_item == NULL || uuid == NULL || first == 0 || first > last)
        return YS_ERROR_ARGUMENT;
    request->handle = first;
    request->last = last;
    request->uuid = *uuid;
    request->step = DISCOVER_CHARACTERISTICS;
    request->only_uuid = true;
    return ys_client_begin(host, connection, request, &discover);
}

/* Vol 3 Part G 4.4.2. */
enum ys_result ys_client_find_service(struct ys_host *host, uint16_t connection, struct ys_client_request *request,
                                      const struct ys_uuid *uuid)
{
    enum ys_result result = ys_client_prepare(request);
    if (result != YS_OK)
        return result;
    if (request->on_item == NULL || uuid == NULL || (uuid->length != 2 && uuid->length != 16))
        return YS_ERROR_ARGUMENT;
    request->handle = 1;
    request->uuid = *uuid;
    return ys_client_begin(host, connection, request, &find_service);
}
