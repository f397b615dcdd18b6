/* Attributes: their types, who may access them, and where their values come from and go to. */
#include <string.h>

#include "host/internal.h"

#define TYPE_SERVICE        0x2800
#define TYPE_SECONDARY      0x2801
#define TYPE_INCLUDE        0x2802
#define TYPE_CHARACTERISTIC 0x2803
#define TYPE_CONFIGURATION  0x2902

static enum ys_attribute_kind kind_of(const struct ys_attribute *attribute)
{
    return (enum ys_attribute_kind)(attribute->kind & YS_ATTRIBUTE_KIND_MASK);
}

bool ys_attribute_is_service(const struct ys_attribute *attribute)
{
    return kind_of(attribute) == YS_ATTRIBUTE_SERVICE || kind_of(attribute) == YS_ATTRIBUTE_SECONDARY;
}

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

struct ys_uuid ys_attribute_type(const struct ys_table *table, const struct ys_attribute *attribute)
{
    switch (kind_of(attribute)) {
    case YS_ATTRIBUTE_SERVICE:
        return ys_uuid_of(TYPE_SERVICE);
    case YS_ATTRIBUTE_SECONDARY:
        return ys_uuid_of(TYPE_SECONDARY);
    case YS_ATTRIBUTE_INCLUDE:
        return ys_uuid_of(TYPE_INCLUDE);
    case YS_ATTRIBUTE_CHARACTERISTIC:
        return ys_uuid_of(TYPE_CHARACTERISTIC);
    case YS_ATTRIBUTE_CONFIGURATION:
        return ys_uuid_of(TYPE_CONFIGURATION);
    case YS_ATTRIBUTE_VALUE:
    case YS_ATTRIBUTE_DESCRIPTOR:
    default:
        return numbered(table, attribute);
    }
}

bool ys_attribute_has_type(const struct ys_table *table, const struct ys_attribute *attribute,
                           const struct ys_uuid *type)
{
    struct ys_uuid own = ys_attribute_type(table, attribute);
    return ys_uuid_is_equal(&own, type);
}

/* Part F 4: what is missing on a link that is never encrypted yet. */
static uint8_t check_link(uint16_t right, uint8_t otherwise)
{
    switch (right) {
    case YS_RIGHT_OPEN:
        return YS_ATT_OK;
    case YS_RIGHT_ENCRYPTED: /* Vol 3 Part C 10.3.1: without a key this is the error, for either right */
    case YS_RIGHT_AUTHENTICATED:
        return YS_ATT_INSUFFICIENT_AUTHENTICATION;
    default:
        return otherwise;
    }
}

uint8_t ys_attribute_check_read(const struct ys_attribute *attribute)
{
    return check_link(YS_RIGHT_TO_READ(attribute->rights), YS_ATT_READ_NOT_PERMITTED);
}

uint8_t ys_attribute_check_write(const struct ys_attribute *attribute, size_t length, bool command,
                                 const struct ys_attribute *declaration)
{
    uint8_t needed = command ? YS_PROPERTY_WRITE_WITHOUT_RESPONSE : YS_PROPERTY_WRITE;
    uint8_t error = check_link(YS_RIGHT_TO_WRITE(attribute->rights), YS_ATT_WRITE_NOT_PERMITTED);
    if (kind_of(attribute) == YS_ATTRIBUTE_VALUE && (declaration->properties & needed) == 0)
        return YS_ATT_WRITE_NOT_PERMITTED;
    if (error != YS_ATT_OK)
        return error;
    bool variable = (attribute->kind & YS_ATTRIBUTE_VARIABLE) != 0;
    if (length > attribute->size || (!variable && length != attribute->size))
        return YS_ATT_INVALID_VALUE_LENGTH;
    return YS_ATT_OK;
}

/* Vol 3 Part G 3.3.1: properties, handle of the value, UUID of the value. */
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
        const struct ys_access access = {
            .host = host, .context = host->settings.context, .connection = connection->handle, .handle = handle};
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
        return read_value(host, connection, handle, attribute->source, value);
    case YS_ATTRIBUTE_CONFIGURATION:
        ys_put_u16(value, ys_bit_get(&connection->notifications, attribute->number) ? YS_SUBSCRIBE_NOTIFICATIONS
                                                                                    : YS_SUBSCRIBE_NONE);
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

static uint8_t write_value(struct ys_host *host, const struct ys_connection *connection, uint16_t handle,
                           const struct ys_value *value, struct ys_reader *reader)
{
    if (value->write != NULL) {
        const struct ys_access access = {
            .host = host, .context = host->settings.context, .connection = connection->handle, .handle = handle};
        return value->write(&access, reader);
    }
    if (value->stored_at == YS_NONE)
        return YS_ATT_WRITE_NOT_PERMITTED;
    size_t length = ys_reader_left(reader);
    store(host, value, ys_get_bytes(reader, length), length);
    return YS_ATT_OK;
}

/* Vol 3 Part G 3.3.3.3: bit 0 switches notifications on; what the characteristic does not offer is refused. */
static uint8_t write_configuration(struct ys_host *host, struct ys_connection *connection, uint16_t notifiable,
                                   uint16_t configuration)
{
    bool on = configuration == YS_SUBSCRIBE_NOTIFICATIONS;
    if (!on && configuration != YS_SUBSCRIBE_NONE)
        return YS_ATT_CONFIGURATION_IMPROPER;
    bool was_on = ys_bit_get(&connection->notifications, notifiable);
    ys_bit_set(&connection->notifications, notifiable, on);
    if (!on)
        ys_bit_set(&connection->pending, notifiable, false);
    if (on != was_on)
        ys_emit(host,
                &(struct ys_event){
                    .kind = YS_EVENT_SUBSCRIPTION,
                    .connection = connection->handle,
                    .u.subscription = {.handle = host->table->notifiables[notifiable].handle, .notifications = on},
                });
    return YS_ATT_OK;
}

uint8_t ys_attribute_write(struct ys_host *host, struct ys_connection *connection, uint16_t handle,
                           struct ys_reader *value)
{
    const struct ys_attribute *attribute = ys_attribute_at(host, handle);
    switch (kind_of(attribute)) {
    case YS_ATTRIBUTE_VALUE:
        return write_value(host, connection, handle, attribute->source, value);
    case YS_ATTRIBUTE_CONFIGURATION:
        return write_configuration(host, connection, attribute->number, ys_get_u16(value));
    default:
        return YS_ATT_WRITE_NOT_PERMITTED;
    }
}

void ys_attributes_reset(struct ys_host *host)
{
    for (uint16_t i = 0; i < host->table->attribute_count; i++) {
        const struct ys_attribute *attribute = &host->table->attributes[i];
        const struct ys_value *value = attribute->source;
        if (kind_of(attribute) == YS_ATTRIBUTE_VALUE && value->stored_at != YS_NONE)
            store(host, value, value->bytes, value->length);
    }
}
