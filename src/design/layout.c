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

static void add_service(struct ys_layout *layout, const struct ys_service *service)
{
    size_t index = layout->count;
    struct ys_row *row = add_row(layout, YS_ATTRIBUTE_SERVICE, 0x2800, service);
    row->uuid = service->uuid;
    row->size = service->uuid.length;
    note_uuid(layout, &service->uuid);
    for (size_t i = 0; i < service->characteristic_count; i++)
        add_characteristic(layout, service, &service->characteristics[i]);
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
    free(layout->rows);
    free(layout->long_uuids);
    free(layout);
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
        ys_put_uuid(&writer, &row->uuid);
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
    case YS_ATTRIBUTE_DESCRIPTOR:
    default:
        return -1;
    }
    return (int)ys_writer_stored(&writer);
}
