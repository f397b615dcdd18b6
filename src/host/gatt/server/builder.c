/* A table that is built by calls: attributes are put one after the other, as the generator prints them. */
#include <yarnswift/builder.h>

#include <string.h>

#include "host/gatt/server/attributes.h"
#include "wire/att.h"

#define READABLE YS_RIGHTS(YS_RIGHT_OPEN, YS_RIGHT_NONE, YS_RIGHT_NONE)

/* The next attribute, and with it the end of its service; NULL if there is no room. */
static struct ys_attribute *add(struct ys_builder *builder, uint8_t kind, uint16_t rights)
{
    struct ys_table *table = &builder->table;
    if (builder->bad || table->attribute_count >= builder->memory.attribute_count) {
        builder->bad = true;
        return NULL;
    }
    struct ys_attribute *attribute = &builder->memory.attributes[table->attribute_count++];
    *attribute = (struct ys_attribute){.kind = kind, .rights = rights};
    if (builder->service != 0)
        builder->memory.attributes[builder->service - 1].size = table->attribute_count;
    return attribute;
}

/* Writes a UUID into an attribute: 16 bits, or the index of one of 128. */
static void set_uuid(struct ys_builder *builder, struct ys_attribute *attribute, const struct ys_uuid *uuid)
{
    uint16_t index = 0;
    if (uuid->length == 2) {
        attribute->number = (uint16_t)ys_uuid_number(uuid);
        return;
    }
    while (index < builder->long_uuid_count && memcmp(builder->memory.long_uuids[index], uuid->bytes, 16) != 0)
        index++;
    if (uuid->length != 16 || index >= builder->memory.long_uuid_count) {
        builder->bad = true;
        return;
    }
    if (index == builder->long_uuid_count) {
        memcpy(builder->memory.long_uuids[index], uuid->bytes, 16);
        builder->long_uuid_count++;
    }
    attribute->number = index;
    attribute->kind |= YS_ATTRIBUTE_LONG_UUID;
}

static uint16_t last(const struct ys_builder *builder)
{
    return builder->bad ? 0 : builder->table.attribute_count;
}

void ys_build(struct ys_builder *builder, const struct ys_builder_memory *memory, const char *name, uint16_t appearance)
{
    const struct ys_uuid access = ys_uuid_of(0x1800);
    const struct ys_uuid attribute = ys_uuid_of(0x1801);
    *builder = (struct ys_builder){.memory = *memory};
    builder->table.attributes = memory->attributes;
    builder->table.long_uuids = (const uint8_t(*)[16])memory->long_uuids;
    builder->table.notifiables = memory->notifiables;
    builder->appearance[0] = (uint8_t)appearance;
    builder->appearance[1] = (uint8_t)(appearance >> 8);
    uint16_t length = 0;
    while (length < 248 && name[length] != '\0')
        length++;
    const struct ys_characteristic_settings built_name = {.uuid = ys_uuid_of(0x2a00),
                                                          .properties = YS_PROPERTY_READ,
                                                          .rights = READABLE,
                                                          .size = length,
                                                          .bytes = (const uint8_t *)name,
                                                          .length = length};
    const struct ys_characteristic_settings built_appearance = {.uuid = ys_uuid_of(0x2a01),
                                                                .properties = YS_PROPERTY_READ,
                                                                .rights = READABLE,
                                                                .size = 2,
                                                                .bytes = builder->appearance,
                                                                .length = 2};
    (void)ys_build_service(builder, &access, false);
    (void)ys_build_characteristic(builder, &built_name);
    (void)ys_build_characteristic(builder, &built_appearance);
    (void)ys_build_service(builder, &attribute, false);
}

/* Vol 3 Part G 3.1. */
uint16_t ys_build_service(struct ys_builder *builder, const struct ys_uuid *uuid, bool secondary)
{
    builder->service = (uint16_t)(builder->table.attribute_count + 1);
    struct ys_attribute *service = add(builder, secondary ? YS_ATTRIBUTE_SECONDARY : YS_ATTRIBUTE_SERVICE, READABLE);
    if (service != NULL)
        set_uuid(builder, service, uuid);
    builder->in_service = true;
    return last(builder);
}

uint16_t ys_build_include(struct ys_builder *builder, uint16_t service)
{
    bool there =
        service > 0 && service < builder->service && ys_attribute_is_service(&builder->memory.attributes[service - 1]);
    builder->bad |= !there || !builder->in_service; /* Vol 3 Part G 3.1: includes come before characteristics */
    struct ys_attribute *include = add(builder, YS_ATTRIBUTE_INCLUDE, READABLE);
    if (include == NULL)
        return 0;
    bool is_long = (builder->memory.attributes[service - 1].kind & YS_ATTRIBUTE_LONG_UUID) != 0;
    include->number = service;
    include->size = is_long ? 4 : 6;
    return last(builder);
}

/* Vol 3 Part G 3.3.2. */
static struct ys_value *add_value(struct ys_builder *builder, const struct ys_characteristic_settings *characteristic)
{
    bool writable = YS_RIGHT_TO_WRITE(characteristic->rights) != YS_RIGHT_NONE;
    if (builder->value_count >= builder->memory.value_count || characteristic->size > YS_ATT_VALUE_MAX ||
        characteristic->length > characteristic->size) {
        builder->bad = true;
        return NULL;
    }
    struct ys_value *value = &builder->memory.values[builder->value_count++];
    *value = (struct ys_value){.read = characteristic->read,
                               .write = characteristic->write,
                               .bytes = characteristic->bytes,
                               .length = characteristic->length,
                               .stored_at = YS_NONE,
                               .notifiable = YS_NONE};
    if (writable && characteristic->write == NULL) {
        value->stored_at = builder->table.values_size;
        builder->table.values_size = (uint16_t)(builder->table.values_size + 2 + characteristic->size);
    }
    return value;
}

static void add_configuration(struct ys_builder *builder, const struct ys_characteristic_settings *characteristic,
                              struct ys_value *value)
{
    uint16_t index = builder->table.notifiable_count;
    uint16_t handle = builder->table.attribute_count;
    uint16_t right = YS_RIGHT_TO_NOTIFY(characteristic->rights);
    struct ys_attribute *configuration =
        add(builder, YS_ATTRIBUTE_CONFIGURATION, (uint16_t)YS_RIGHTS(YS_RIGHT_OPEN, right, YS_RIGHT_NONE));
    if (configuration == NULL || index >= builder->memory.notifiable_count) {
        builder->bad = true;
        return;
    }
    builder->memory.notifiables[index] =
        (struct ys_notifiable){.handle = handle, .spacing_ms = characteristic->spacing_ms};
    builder->table.notifiable_count++;
    configuration->number = index;
    configuration->size = 2;
    value->notifiable = index;
}

uint16_t ys_build_characteristic(struct ys_builder *builder, const struct ys_characteristic_settings *characteristic)
{
    struct ys_attribute *declaration = add(builder, YS_ATTRIBUTE_CHARACTERISTIC, READABLE);
    struct ys_attribute *attribute = add(builder, YS_ATTRIBUTE_VALUE, characteristic->rights);
    struct ys_value *value = attribute != NULL ? add_value(builder, characteristic) : NULL;
    uint16_t handle = builder->table.attribute_count;
    if (value == NULL)
        return 0;
    declaration->properties = characteristic->properties;
    declaration->size = (uint16_t)(3 + characteristic->uuid.length);
    set_uuid(builder, attribute, &characteristic->uuid);
    if (characteristic->variable)
        attribute->kind |= YS_ATTRIBUTE_VARIABLE;
    attribute->size = characteristic->size;
    attribute->source = value;
    if ((characteristic->properties & (YS_PROPERTY_NOTIFY | YS_PROPERTY_INDICATE)) != 0)
        add_configuration(builder, characteristic, value);
    builder->in_service = false;
    return builder->bad ? 0 : handle;
}

uint16_t ys_build_descriptor(struct ys_builder *builder, const struct ys_uuid *uuid, const uint8_t *bytes,
                             uint16_t length)
{
    builder->bad |= builder->in_service || length > YS_ATT_VALUE_MAX;
    struct ys_attribute *descriptor = add(builder, YS_ATTRIBUTE_DESCRIPTOR, READABLE);
    if (descriptor == NULL)
        return 0;
    set_uuid(builder, descriptor, uuid);
    descriptor->size = length;
    descriptor->source = bytes;
    return last(builder);
}

const struct ys_table *ys_build_end(struct ys_builder *builder)
{
    return builder->bad ? NULL : &builder->table;
}
