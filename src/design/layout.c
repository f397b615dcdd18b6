/* The attribute table of a design. */
#include "design/layout.h"

#include <stdlib.h>
#include <string.h>

#include "design/memory.h"
#include "design/value.h"

#define OPEN_TO_READ YS_RIGHTS(YS_RIGHT_OPEN, YS_RIGHT_NONE, YS_RIGHT_NONE)

static struct ys_row *add_row(struct ys_layout *layout, enum ys_attribute_kind kind, uint16_t type,
                              const struct ys_service *service)
{
    layout->rows = ys_grow(layout->rows, layout->count, sizeof *layout->rows);
    struct ys_row *row = &layout->rows[layout->count++];
    *row = (struct ys_row){
        .kind = kind,
        .type = ys_uuid_of(type),
        .rights = OPEN_TO_READ,
        .notifiable = YS_NONE,
        .stored_at = YS_NONE,
        .service = service,
    };
    return row;
}

static void note_uuid(struct ys_layout *layout, const struct ys_uuid *uuid)
{
    if (uuid->length != 16 || ys_layout_long_uuid(layout, uuid) < layout->long_uuid_count)
        return;
    layout->long_uuids = ys_grow(layout->long_uuids, layout->long_uuid_count, sizeof *layout->long_uuids);
    layout->long_uuids[layout->long_uuid_count++] = *uuid;
}

static uint16_t declaration_size(const struct ys_uuid *uuid)
{
    return (uint16_t)(3 + uuid->length);
}

static void add_characteristic(struct ys_layout *layout, const struct ys_service *service,
                               const struct ys_characteristic *characteristic)
{
    bool writable = characteristic->write != YS_RIGHT_NONE || characteristic->write_command != YS_RIGHT_NONE;
    struct ys_row *row = add_row(layout, YS_ATTRIBUTE_CHARACTERISTIC, 0x2803, service);
    row->uuid = characteristic->uuid;
    row->properties = ys_characteristic_properties(characteristic);
    row->size = declaration_size(&characteristic->uuid);
    row->characteristic = characteristic;

    enum ys_right write =
        characteristic->write != YS_RIGHT_NONE ? characteristic->write : characteristic->write_command;
    row = add_row(layout, YS_ATTRIBUTE_VALUE, 0, service);
    row->type = characteristic->uuid;
    row->uuid = characteristic->uuid;
    row->rights = YS_RIGHTS(characteristic->read, write, characteristic->notify);
    row->size = (uint16_t)characteristic->type.length;
    row->variable = ys_value_least(&characteristic->type) != ys_value_greatest(&characteristic->type);
    row->characteristic = characteristic;
    if (writable && !characteristic->write_handler) {
        row->stored_at = layout->values_size;
        layout->values_size = (uint16_t)(layout->values_size + 2 + row->size);
    }
    note_uuid(layout, &characteristic->uuid);
    if (characteristic->notify == YS_RIGHT_NONE)
        return;
    uint16_t notifiable = layout->notifiable_count++;
    row->notifiable = notifiable;
    row = add_row(layout, YS_ATTRIBUTE_CONFIGURATION, 0x2902, service);
    row->rights = YS_RIGHTS(YS_RIGHT_OPEN, characteristic->notify, YS_RIGHT_NONE);
    row->size = 2;
    row->notifiable = notifiable;
    row->characteristic = characteristic;
}

static void add_descriptor(struct ys_layout *layout, const struct ys_service *service,
                           const struct ys_characteristic *characteristic, const struct ys_uuid *uuid,
                           const void *bytes, size_t length)
{
    struct ys_row *row = add_row(layout, YS_ATTRIBUTE_DESCRIPTOR, 0, service);
    row->type = *uuid;
    row->uuid = *uuid;
    row->size = (uint16_t)length;
    row->bytes = (uint8_t *)ys_copy(bytes, length);
    row->characteristic = characteristic;
    note_uuid(layout, uuid);
}

/* Vol 3 Part G 3.3.3.5: format, exponent, unit, and a description that is none. */
static void add_presentation(struct ys_layout *layout, const struct ys_service *service,
                             const struct ys_characteristic *characteristic)
{
    const struct ys_field *type = &characteristic->type;
    const struct ys_uuid uuid = ys_uuid_of(0x2904);
    uint8_t bytes[7];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    ys_put_u8(&writer, (uint8_t)ys_adopted_by_name(YS_ADOPTED_FORMAT, type->format->name)->number);
    ys_put_i8(&writer, (int8_t)type->exponent);
    ys_put_u16(&writer, type->unit != NULL ? type->unit->number : 0x2700);
    ys_put_u8(&writer, 1); /* the namespace of the standard */
    ys_put_u16(&writer, 0);
    add_descriptor(layout, service, characteristic, &uuid, bytes, sizeof bytes);
}

static void add_descriptors(struct ys_layout *layout, const struct ys_service *service,
                            const struct ys_characteristic *characteristic)
{
    const struct ys_uuid description = ys_uuid_of(0x2901);
    if (characteristic->description != NULL)
        add_descriptor(layout, service, characteristic, &description, characteristic->description,
                       strlen(characteristic->description));
    if (characteristic->presentation)
        add_presentation(layout, service, characteristic);
    for (size_t i = 0; i < characteristic->descriptor_count; i++)
        add_descriptor(layout, service, characteristic, &characteristic->descriptors[i].uuid,
                       characteristic->descriptors[i].value, characteristic->descriptors[i].value_length);
}

static void add_service(struct ys_layout *layout, const struct ys_service *service)
{
    size_t index = layout->count;
    struct ys_row *row = add_row(layout, service->secondary ? YS_ATTRIBUTE_SECONDARY : YS_ATTRIBUTE_SERVICE,
                                 service->secondary ? 0x2801 : 0x2800, service);
    row->uuid = service->uuid;
    row->size = service->uuid.length;
    note_uuid(layout, &service->uuid);
    for (size_t i = 0; i < service->include_count; i++) {
        row = add_row(layout, YS_ATTRIBUTE_INCLUDE, 0x2802, service);
        row->included = service->includes[i].service;
        row->size = (uint16_t)(row->included->uuid.length == 2 ? 6 : 4);
    }
    for (size_t i = 0; i < service->characteristic_count; i++) {
        add_characteristic(layout, service, &service->characteristics[i]);
        add_descriptors(layout, service, &service->characteristics[i]);
    }
    layout->rows[index].last_handle = (uint16_t)layout->count;
}

struct ys_layout *ys_layout_new(const struct ys_design *design)
{
    struct ys_layout *layout = ys_new(sizeof *layout);
    for (size_t i = 0; i < design->service_count; i++)
        add_service(layout, &design->services[i]);
    if (layout->count < 0xffff)
        return layout;
    ys_layout_free(layout);
    return NULL;
}

void ys_layout_free(struct ys_layout *layout)
{
    if (layout == NULL)
        return;
    for (size_t i = 0; i < layout->count; i++)
        free(layout->rows[i].bytes);
    free(layout->rows);
    free(layout->long_uuids);
    free(layout);
}

bool ys_row_is_service(const struct ys_row *row)
{
    return row->kind == YS_ATTRIBUTE_SERVICE || row->kind == YS_ATTRIBUTE_SECONDARY;
}

uint16_t ys_layout_service(const struct ys_layout *layout, const struct ys_service *service)
{
    for (size_t i = 0; i < layout->count; i++) {
        if (ys_row_is_service(&layout->rows[i]) && layout->rows[i].service == service)
            return (uint16_t)(i + 1);
    }
    return 0;
}

size_t ys_layout_long_uuid(const struct ys_layout *layout, const struct ys_uuid *uuid)
{
    size_t index = 0;
    while (index < layout->long_uuid_count && !ys_uuid_is_equal(&layout->long_uuids[index], uuid))
        index++;
    return index;
}

int ys_row_value(const struct ys_layout *layout, size_t index, uint8_t *bytes, size_t size)
{
    const struct ys_row *row = &layout->rows[index];
    struct ys_writer writer = ys_writer_to(bytes, size);
    switch (row->kind) {
    case YS_ATTRIBUTE_SERVICE:
    case YS_ATTRIBUTE_SECONDARY:
        ys_put_uuid(&writer, &row->uuid);
        break;
    case YS_ATTRIBUTE_INCLUDE: {
        uint16_t handle = ys_layout_service(layout, row->included);
        ys_put_u16(&writer, handle);
        ys_put_u16(&writer, layout->rows[handle - 1].last_handle);
        if (row->included->uuid.length == 2)
            ys_put_uuid(&writer, &row->included->uuid);
        break;
    }
    case YS_ATTRIBUTE_DESCRIPTOR:
        ys_put_bytes(&writer, row->bytes, row->size);
        break;
    case YS_ATTRIBUTE_CHARACTERISTIC:
        ys_put_u8(&writer, row->properties);
        ys_put_u16(&writer, (uint16_t)(index + 2));
        ys_put_uuid(&writer, &row->uuid);
        break;
    case YS_ATTRIBUTE_VALUE:
        if (row->characteristic->value == NULL || row->characteristic->read_handler || row->stored_at != YS_NONE)
            return -1;
        ys_put_bytes(&writer, row->characteristic->value, row->characteristic->value_length);
        break;
    case YS_ATTRIBUTE_CONFIGURATION:
    default:
        return -1;
    }
    return (int)ys_writer_stored(&writer);
}
