/* Attributes: their types, access rights, and the sources and destinations of their values. */
#include "host/gatt/server/attributes.h"

#include <string.h>

#include "host/core/bits.h"
#include "host/core/connections.h"
#include "host/core/events.h"
#include "host/core/ring.h"
#include "host/gatt/server/features.h"

static enum ys_attribute_kind kind_of(const struct ys_attribute *attribute)
{
    return (enum ys_attribute_kind)(attribute->kind & YS_ATTRIBUTE_KIND_MASK);
}

/* Vol 3 Part G 3.1. */
bool ys_attribute_is_service(const struct ys_attribute *attribute)
{
    return kind_of(attribute) == YS_ATTRIBUTE_SERVICE || kind_of(attribute) == YS_ATTRIBUTE_SECONDARY;
}

/* Vol 3 Part F 3.2.2. */
const struct ys_attribute *ys_attribute_at(const struct ys_host *host, uint16_t handle)
{
    return handle == 0 || handle > host->table->attribute_count ? NULL : &host->table->attributes[handle - 1];
}

/* The UUID that `number` stands for. */
static struct ys_uuid numbered(const struct ys_table *table, const struct ys_attribute *attribute)
{
    if ((attribute->kind & YS_ATTRIBUTE_LONG_UUID) != 0)
        return ys_uuid_from_air(table->long_uuids[attribute->number], 16);
    return ys_uuid_of(attribute->number);
}

/* Declarations and client configurations have types of their own (Vol 3 Part G 3.1 to 3.3); of the others the table
 * says it. */
struct ys_uuid ys_attribute_type(const struct ys_table *table, const struct ys_attribute *attribute)
{
    static const uint16_t types[YS_ATTRIBUTE_KIND_MASK + 1] = {
        [YS_ATTRIBUTE_SERVICE] = 0x2800,        [YS_ATTRIBUTE_SECONDARY] = 0x2801,     [YS_ATTRIBUTE_INCLUDE] = 0x2802,
        [YS_ATTRIBUTE_CHARACTERISTIC] = 0x2803, [YS_ATTRIBUTE_CONFIGURATION] = 0x2902,
    };
    uint16_t type = types[kind_of(attribute)];
    return type != 0 ? ys_uuid_of(type) : numbered(table, attribute);
}

/* Vol 3 Part F 3.2.1. */
bool ys_attribute_has_type(const struct ys_table *table, const struct ys_attribute *attribute,
                           const struct ys_uuid *type)
{
    struct ys_uuid own = ys_attribute_type(table, attribute);
    return ys_uuid_is_equal(&own, type);
}

/* A count, and the connection's place. */
uint32_t ys_attribute_token(const struct ys_host *host, const struct ys_connection *connection)
{
    uint32_t count = (host->last_token & 0xffffff00u) + 0x100;
    return count | (uint32_t)(connection - host->connections + 1);
}

static struct ys_access access_of(struct ys_host *host, const struct ys_connection *connection, uint16_t handle)
{
    return (struct ys_access){.host = host,
                              .context = host->settings.context,
                              .connection = connection->handle,
                              .handle = handle,
                              .token = host->may_wait ? ys_attribute_token(host, connection) : 0};
}

/* Vol 3 Part C 10.3.1: what is missing on this link. Without a key the error asks for one; with a key that is not used
 * yet, for encryption; a key that is too short cannot be mended (Vol 3 Part F 3.2.5; Vol 3 Part C 10.2.1). */
static uint8_t check_link(const struct ys_host *host, const struct ys_connection *connection, uint16_t right,
                          uint8_t otherwise)
{
    const struct ys_link_security *security = &connection->security;
    uint8_t least = right == YS_RIGHT_SECURE_CONNECTIONS ? YS_LEVEL_4_KEY_SIZE : host->table->key_size;
    if (right == YS_RIGHT_OPEN)
        return YS_ATT_OK;
    if (right == YS_RIGHT_NONE || right > YS_RIGHT_SECURE_CONNECTIONS)
        return otherwise;
    if (security->key_size == 0)
        return security->has_key ? YS_ATT_INSUFFICIENT_ENCRYPTION : YS_ATT_INSUFFICIENT_AUTHENTICATION;
    if ((right >= YS_RIGHT_AUTHENTICATED && !security->authenticated) ||
        (right == YS_RIGHT_SECURE_CONNECTIONS && !security->secure_connections))
        return YS_ATT_INSUFFICIENT_AUTHENTICATION;
    return security->key_size < least ? YS_ATT_KEY_TOO_SHORT : YS_ATT_OK;
}

/* The definition's `ask`: who may do it in principle still needs the application's consent (Vol 3 Part C 10.5). */
static uint8_t ask(struct ys_host *host, const struct ys_connection *connection, const struct ys_attribute *attribute,
                   enum ys_access_kind wish)
{
    uint16_t handle = (uint16_t)(attribute - host->table->attributes + 1);
    if (host->consented)
        return YS_ATT_OK;
    if (host->table->consent == NULL)
        return YS_ATT_INSUFFICIENT_AUTHORIZATION;
    if (wish == YS_TO_SUBSCRIBE)
        handle = host->table->notifiables[attribute->number].handle;
    const struct ys_access access = access_of(host, connection, handle);
    uint8_t error = host->table->consent(&access, wish);
    host->later_stage = STAGE_CONSENT;
    return error;
}

/* Vol 3 Part F 3.2.5. */
uint8_t ys_attribute_check_read(struct ys_host *host, const struct ys_connection *connection,
                                const struct ys_attribute *attribute)
{
    uint8_t error = check_link(host, connection, YS_RIGHT_TO_READ(attribute->rights), YS_ATT_READ_NOT_PERMITTED);
    if (error == YS_ATT_OK && (attribute->rights & YS_ASKS_TO_READ) != 0)
        error = ask(host, connection, attribute, YS_TO_READ);
    return error;
}

/* Vol 3 Part F 3.2.5. */
uint8_t ys_attribute_check_write(const struct ys_host *host, const struct ys_connection *connection,
                                 const struct ys_attribute *attribute, bool command)
{
    uint8_t needed = command ? YS_PROPERTY_WRITE_WITHOUT_RESPONSE : YS_PROPERTY_WRITE;
    bool value = kind_of(attribute) == YS_ATTRIBUTE_VALUE || kind_of(attribute) == YS_ATTRIBUTE_FEATURES;
    if (value && (attribute[-1].properties & needed) == 0)
        return YS_ATT_WRITE_NOT_PERMITTED;
    return check_link(host, connection, YS_RIGHT_TO_WRITE(attribute->rights), YS_ATT_WRITE_NOT_PERMITTED);
}

/* Vol 3 Part F 3.2.4. */
uint8_t ys_attribute_check_length(const struct ys_attribute *attribute, size_t length)
{
    bool variable = (attribute->kind & YS_ATTRIBUTE_VARIABLE) != 0;
    return length > attribute->size || (!variable && length != attribute->size) ? YS_ATT_INVALID_VALUE_LENGTH
                                                                                : YS_ATT_OK;
}

uint8_t ys_attribute_consent_to_write(struct ys_host *host, const struct ys_connection *connection,
                                      const struct ys_attribute *attribute)
{
    if ((attribute->rights & YS_ASKS_TO_WRITE) == 0)
        return YS_ATT_OK;
    return ask(host, connection, attribute,
               kind_of(attribute) == YS_ATTRIBUTE_CONFIGURATION ? YS_TO_SUBSCRIBE : YS_TO_WRITE);
}

/* Vol 3 Part G 3.3.1: properties, handle of the value, UUID of the value (Vol 3 Part G 3.3.1.1 to 3.3.1.3). */
static void put_declaration(const struct ys_table *table, const struct ys_attribute *attribute, uint16_t handle,
                            struct ys_writer *value)
{
    struct ys_uuid uuid = numbered(table, attribute + 1);
    ys_put_u8(value, attribute->properties);
    ys_put_u16(value, (uint16_t)(handle + 1));
    ys_put_uuid(value, &uuid);
}

/* Vol 3 Part G 3.2: the handles of the service, and its UUID if that has 16 bits. */
static void put_include(const struct ys_table *table, const struct ys_attribute *attribute, struct ys_writer *value)
{
    const struct ys_attribute *service = &table->attributes[attribute->number - 1];
    struct ys_uuid uuid = numbered(table, service);
    ys_put_u16(value, attribute->number);
    ys_put_u16(value, service->size);
    if (uuid.length == 2)
        ys_put_uuid(value, &uuid);
}

static uint8_t read_value(struct ys_host *host, const struct ys_connection *connection, uint16_t handle,
                          const struct ys_value *value, struct ys_writer *writer)
{
    if (value->read != NULL) {
        const struct ys_access access = access_of(host, connection, handle);
        host->later_stage = STAGE_HANDLER;
        return value->read(&access, writer);
    }
    if (value->stored_at != YS_NONE) {
        struct ys_reader stored = ys_reader_of(host->settings.values + value->stored_at, 2);
        ys_put_bytes(writer, host->settings.values + value->stored_at + 2, ys_get_u16(&stored));
    } else {
        ys_put_bytes(writer, value->bytes, value->length);
    }
    return YS_ATT_OK;
}

/* Vol 3 Part G 3.3.3.3. */
uint16_t ys_configuration_of(const struct ys_connection *connection, uint16_t notifiable)
{
    return (uint16_t)((ys_bit_get(&connection->notifications, notifiable) ? YS_SUBSCRIBE_NOTIFICATIONS : 0) |
                      (ys_bit_get(&connection->indications, notifiable) ? YS_SUBSCRIBE_INDICATIONS : 0));
}

uint8_t ys_attribute_read(struct ys_host *host, struct ys_connection *connection, uint16_t handle,
                          struct ys_writer *value)
{
    const struct ys_attribute *attribute = ys_attribute_at(host, handle);
    struct ys_uuid uuid;
    switch (kind_of(attribute)) {
    case YS_ATTRIBUTE_SERVICE:
    case YS_ATTRIBUTE_SECONDARY:
        uuid = numbered(host->table, attribute);
        ys_put_uuid(value, &uuid);
        return YS_ATT_OK;
    case YS_ATTRIBUTE_INCLUDE:
        put_include(host->table, attribute, value);
        return YS_ATT_OK;
    case YS_ATTRIBUTE_CHARACTERISTIC:
        put_declaration(host->table, attribute, handle, value);
        return YS_ATT_OK;
    case YS_ATTRIBUTE_VALUE:
    case YS_ATTRIBUTE_STORED:
        return read_value(host, connection, handle, attribute->source, value);
    case YS_ATTRIBUTE_CONFIGURATION:
        ys_put_u16(value, ys_configuration_of(connection, attribute->number));
        return YS_ATT_OK;
    case YS_ATTRIBUTE_FEATURES:
        ys_put_u8(value, connection->features);
        return YS_ATT_OK;
    case YS_ATTRIBUTE_DESCRIPTOR:
    default:
        ys_put_bytes(value, attribute->source, attribute->size);
        return YS_ATT_OK;
    }
}

static void store(struct ys_host *host, const struct ys_value *value, const uint8_t *bytes, size_t length)
{
    struct ys_writer writer = ys_writer_to(host->settings.values + value->stored_at, 2 + length);
    ys_put_u16(&writer, (uint16_t)length);
    ys_put_bytes(&writer, bytes, length);
}

uint8_t ys_value_store(const struct ys_access *access, struct ys_reader *reader)
{
    const struct ys_value *value = ys_attribute_at(access->host, access->handle)->source;
    size_t length = ys_reader_left(reader);
    if (value->stored_at == YS_NONE)
        return YS_ATT_WRITE_NOT_PERMITTED;
    store(access->host, value, ys_get_bytes(reader, length), length);
    return YS_ATT_OK;
}

static uint8_t write_value(struct ys_host *host, const struct ys_connection *connection, uint16_t handle,
                           const struct ys_value *value, struct ys_reader *reader)
{
    const struct ys_access access = access_of(host, connection, handle);
    host->later_stage = STAGE_HANDLER;
    return value->write != NULL ? value->write(&access, reader) : ys_value_store(&access, reader);
}

/* Vol 3 Part G 3.3.1.1, 3.3.3.3: bit 0 switches notifications on, bit 1 indications; what the characteristic does not
 * offer, by bits 4 and 5 of its properties, is refused. */
static uint8_t check_configuration(const struct ys_host *host, uint16_t notifiable, uint16_t configuration)
{
    const struct ys_attribute *declaration = &host->table->attributes[host->table->notifiables[notifiable].handle - 2];
    unsigned offered = (unsigned)declaration->properties >> 4 & (YS_SUBSCRIBE_NOTIFICATIONS | YS_SUBSCRIBE_INDICATIONS);
    return (configuration & ~offered) != 0 ? YS_ATT_CONFIGURATION_IMPROPER : YS_ATT_OK;
}

/* A stream and the values of an outbox go to one client at a time. */
static uint8_t check_stream(const struct ys_host *host, const struct ys_connection *connection, uint16_t notifiable)
{
    if (ys_stream_at(host, host->table->notifiables[notifiable].handle) == NULL)
        return YS_ATT_OK;
    for (size_t i = 0; i < YS_CONNECTIONS; i++) {
        const struct ys_connection *other = &host->connections[i];
        if (other->used && other != connection && ys_configuration_of(other, notifiable) != 0)
            return YS_ATT_INSUFFICIENT_RESOURCES;
    }
    return YS_ATT_OK;
}

/* Vol 3 Part G 3.3.3.3. */
uint8_t ys_configuration_write(struct ys_host *host, struct ys_connection *connection, uint16_t notifiable,
                               uint16_t configuration)
{
    uint8_t error = check_configuration(host, notifiable, configuration);
    if (error == YS_ATT_OK && configuration != YS_SUBSCRIBE_NONE)
        error = check_stream(host, connection, notifiable);
    if (error != YS_ATT_OK)
        return error;
    bool notify = (configuration & YS_SUBSCRIBE_NOTIFICATIONS) != 0;
    bool indicate = (configuration & YS_SUBSCRIBE_INDICATIONS) != 0;
    uint16_t before = ys_configuration_of(connection, notifiable);
    ys_bit_set(&connection->notifications, notifiable, notify);
    ys_bit_set(&connection->indications, notifiable, indicate);
    if (configuration == YS_SUBSCRIBE_NONE)
        ys_bit_set(&connection->pending, notifiable, false);
    connection->unsaved |= configuration != before;
    if (configuration != before)
        ys_emit(host, &(struct ys_event){
                          .kind = YS_EVENT_SUBSCRIPTION,
                          .connection = connection->handle,
                          .u.subscription = {.handle = host->table->notifiables[notifiable].handle,
                                             .notifications = notify,
                                             .indications = indicate},
                      });
    return YS_ATT_OK;
}

/* Vol 3 Part G 7.2: a client may say that it supports more, and not take it back. What is not known is kept as 0. */
static uint8_t check_features(const struct ys_connection *connection, uint8_t features)
{
    return (connection->features & ~features) != 0 ? YS_ATT_VALUE_NOT_ALLOWED : YS_ATT_OK;
}

/* Vol 3 Part G 7.2. */
static uint8_t write_features(struct ys_connection *connection, uint8_t features)
{
    uint8_t error = check_features(connection, features);
    if (error != YS_ATT_OK)
        return error;
    connection->unsaved |= connection->features != (features & FEATURES_KNOWN);
    connection->features = features & FEATURES_KNOWN;
    return YS_ATT_OK;
}

uint8_t ys_attribute_write(struct ys_host *host, struct ys_connection *connection, uint16_t handle,
                           struct ys_reader *value)
{
    const struct ys_attribute *attribute = ys_attribute_at(host, handle);
    switch (kind_of(attribute)) {
    case YS_ATTRIBUTE_VALUE:
    case YS_ATTRIBUTE_STORED:
        return write_value(host, connection, handle, attribute->source, value);
    case YS_ATTRIBUTE_CONFIGURATION:
        return ys_configuration_write(host, connection, attribute->number, ys_get_u16(value));
    case YS_ATTRIBUTE_FEATURES:
        return write_features(connection, ys_get_u8(value));
    default:
        return YS_ATT_WRITE_NOT_PERMITTED;
    }
}

/* parts of values, as queued writes write them */

/* Where the host keeps a value; NULL if it does not. */
static uint8_t *stored_at(const struct ys_host *host, const struct ys_attribute *attribute)
{
    if (kind_of(attribute) != YS_ATTRIBUTE_VALUE && kind_of(attribute) != YS_ATTRIBUTE_STORED)
        return NULL;
    uint16_t at = ((const struct ys_value *)attribute->source)->stored_at;
    return at != YS_NONE ? host->settings.values + at : NULL;
}

bool ys_attribute_has_write_handler(const struct ys_attribute *attribute)
{
    return (kind_of(attribute) == YS_ATTRIBUTE_VALUE || kind_of(attribute) == YS_ATTRIBUTE_STORED) &&
           ((const struct ys_value *)attribute->source)->write != NULL;
}

size_t ys_attribute_stored_length(const struct ys_host *host, uint16_t handle)
{
    const struct ys_attribute *attribute = ys_attribute_at(host, handle);
    const uint8_t *stored = stored_at(host, attribute);
    if (stored == NULL)
        return 0;
    struct ys_reader reader = ys_reader_of(stored, 2);
    return ys_get_u16(&reader);
}

uint8_t ys_attribute_check_part(const struct ys_host *host, const struct ys_connection *connection, uint16_t handle,
                                const uint8_t *bytes, size_t length)
{
    const struct ys_attribute *attribute = ys_attribute_at(host, handle);
    struct ys_reader reader = ys_reader_of(bytes, length);
    if (kind_of(attribute) == YS_ATTRIBUTE_FEATURES)
        return check_features(connection, ys_get_u8(&reader));
    if (kind_of(attribute) != YS_ATTRIBUTE_CONFIGURATION)
        return YS_ATT_OK;
    return length == 2 ? check_configuration(host, attribute->number, ys_get_u16(&reader))
                       : YS_ATT_INVALID_VALUE_LENGTH; /* no half of a configuration means anything */
}

void ys_attribute_write_part(struct ys_host *host, struct ys_connection *connection, uint16_t handle, uint16_t offset,
                             const uint8_t *bytes, size_t length, size_t end)
{
    const struct ys_attribute *attribute = ys_attribute_at(host, handle);
    uint8_t *stored = stored_at(host, attribute);
    struct ys_reader reader = ys_reader_of(bytes, length);
    if (stored == NULL) {
        (void)ys_attribute_write(host, connection, handle, &reader);
        return;
    }
    struct ys_writer writer = ys_writer_to(stored, 2);
    ys_put_u16(&writer, (uint16_t)end);
    memcpy(stored + 2 + offset, bytes, length);
}

void ys_attributes_reset(struct ys_host *host)
{
    for (uint16_t i = 0; i < host->table->attribute_count; i++) {
        const struct ys_attribute *attribute = &host->table->attributes[i];
        const struct ys_value *value = attribute->source;
        bool has_value = kind_of(attribute) == YS_ATTRIBUTE_VALUE || kind_of(attribute) == YS_ATTRIBUTE_STORED;
        if (has_value && value->stored_at != YS_NONE)
            store(host, value, value->bytes, value->length);
    }
}
