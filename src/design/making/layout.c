/* The attribute table of a design. */
#include "design/making/layout.h"

#include <stdlib.h>
#include <string.h>

#include "design/model/memory.h"
#include "design/model/value.h"
#include "design/model/value_parse.h"
#include "design/reading/catalogue.h"

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

static uint16_t rights_of(const struct ys_offer *read, const struct ys_offer *write)
{
    return (uint16_t)(YS_RIGHTS(read->right, write->right, YS_RIGHT_NONE) | (read->asks ? YS_ASKS_TO_READ : 0) |
                      (write->asks ? YS_ASKS_TO_WRITE : 0));
}

/* Gives it a place in the values' memory, after its length. */
static void store_row(struct ys_layout *layout, struct ys_row *row)
{
    row->stored_at = layout->values_size;
    layout->values_size = (uint16_t)(layout->values_size + 2 + row->size);
}

static void add_characteristic(struct ys_layout *layout, const struct ys_service *service,
                               const struct ys_characteristic *characteristic)
{
    const struct ys_offer *read = &characteristic->ways[YS_WAY_READ];
    const struct ys_offer *write = ys_write_offer(characteristic);
    const struct ys_offer *notify = ys_notify_offer(characteristic);
    struct ys_row *row = add_row(layout, YS_ATTRIBUTE_CHARACTERISTIC, 0x2803, service);
    row->uuid = characteristic->uuid;
    row->properties = ys_characteristic_properties(characteristic);
    row->size = declaration_size(&characteristic->uuid);
    row->characteristic = characteristic;

    row = add_row(layout, YS_ATTRIBUTE_VALUE, 0, service);
    row->type = characteristic->uuid;
    row->uuid = characteristic->uuid;
    row->rights = (uint16_t)(rights_of(read, write) | YS_RIGHTS(0, 0, notify->right));
    row->size = (uint16_t)characteristic->type.length.number;
    row->variable = ys_value_least(&characteristic->type) != ys_value_greatest(&characteristic->type);
    row->characteristic = characteristic;
    if (characteristic->features)
        row->kind = YS_ATTRIBUTE_FEATURES;
    else if (characteristic->kept || (write->right != YS_RIGHT_NONE && !characteristic->write_handler))
        store_row(layout, row);
    note_uuid(layout, &characteristic->uuid);
    if (notify->right == YS_RIGHT_NONE)
        return;
    uint16_t notifiable = layout->notifiable_count++;
    row->notifiable = notifiable;
    row = add_row(layout, YS_ATTRIBUTE_CONFIGURATION, 0x2902, service);
    row->rights =
        (uint16_t)(YS_RIGHTS(YS_RIGHT_OPEN, notify->right, YS_RIGHT_NONE) | (notify->asks ? YS_ASKS_TO_WRITE : 0));
    row->size = 2;
    row->notifiable = notifiable;
    row->characteristic = characteristic;
}

static struct ys_row *add_descriptor(struct ys_layout *layout, const struct ys_service *service,
                                     const struct ys_characteristic *characteristic, const struct ys_uuid *uuid,
                                     const void *bytes, size_t length)
{
    struct ys_row *row = add_row(layout, YS_ATTRIBUTE_DESCRIPTOR, 0, service);
    row->type = *uuid;
    row->uuid = *uuid;
    row->size = (uint16_t)length;
    row->length = (uint16_t)length;
    row->bytes = (uint8_t *)ys_copy(bytes, length);
    row->characteristic = characteristic;
    note_uuid(layout, uuid);
    return row;
}

static struct ys_row *add_adopted(struct ys_layout *layout, const struct ys_service *service,
                                  const struct ys_characteristic *characteristic, uint16_t number, const void *bytes,
                                  size_t length)
{
    const struct ys_uuid uuid = ys_uuid_of(number);
    return add_descriptor(layout, service, characteristic, &uuid, bytes, length);
}

/* Makes a descriptor one that can be written. */
static void make_stored(struct ys_layout *layout, struct ys_row *row, const struct ys_offer *read,
                        const struct ys_offer *write, size_t size, bool variable)
{
    row->kind = YS_ATTRIBUTE_STORED;
    row->size = (uint16_t)size;
    row->variable = variable;
    row->rights = rights_of(read, write);
    store_row(layout, row);
}

static const struct ys_offer open_offer = {.right = YS_RIGHT_OPEN};

/* Vol 3 Part G 3.3.3.1 */
static void add_extended(struct ys_layout *layout, const struct ys_service *service,
                         const struct ys_characteristic *characteristic)
{
    const uint8_t bytes[2] = {
        (uint8_t)((characteristic->reliable ? 1 : 0) | (characteristic->description_write.right != 0 ? 2 : 0)), 0};
    if (bytes[0] != 0)
        (void)add_adopted(layout, service, characteristic, 0x2900, bytes, sizeof bytes);
}

/* Vol 3 Part G 3.3.3.2 */
static void add_description(struct ys_layout *layout, const struct ys_service *service,
                            const struct ys_characteristic *characteristic)
{
    const char *text = characteristic->description.text;
    if (text == NULL)
        return;
    struct ys_row *row = add_adopted(layout, service, characteristic, 0x2901, text, strlen(text));
    if (characteristic->description_write.right != YS_RIGHT_NONE)
        make_stored(layout, row, &open_offer, &characteristic->description_write,
                    (size_t)characteristic->description_length.number, true);
}

/* Vol 3 Part G 3.3.3.4: bit 0 asks for broadcasts. */
static void add_server_configuration(struct ys_layout *layout, const struct ys_service *service,
                                     const struct ys_characteristic *characteristic)
{
    const uint8_t off[2] = {0, 0};
    const struct ys_offer *write = ys_write_offer(characteristic);
    if (!characteristic->broadcasts)
        return;
    struct ys_row *row = add_adopted(layout, service, characteristic, 0x2903, off, sizeof off);
    make_stored(layout, row, &open_offer, write->right != YS_RIGHT_NONE ? write : &open_offer, sizeof off, false);
}

/* Vol 3 Part G 3.3.3.5: format, exponent, unit, and a description that is none. */
static void add_presentation(struct ys_layout *layout, const struct ys_service *service,
                             const struct ys_characteristic *characteristic, const struct ys_field *type)
{
    uint8_t bytes[7];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    ys_put_u8(&writer, (uint8_t)ys_adopted_by_name(YS_ADOPTED_FORMAT, type->format->name)->number);
    ys_put_i8(&writer, (int8_t)type->exponent);
    ys_put_u16(&writer, type->unit != NULL ? type->unit->number : 0x2700);
    ys_put_u8(&writer, 1); /* the namespace of the standard */
    ys_put_u16(&writer, 0);
    (void)add_adopted(layout, service, characteristic, 0x2904, bytes, sizeof bytes);
}

/* One for the value, or one for each field and a list of their handles (Vol 3 Part G 3.3.3.6). */
static void add_presentations(struct ys_layout *layout, const struct ys_service *service,
                              const struct ys_characteristic *characteristic)
{
    const struct ys_field *type = &characteristic->type;
    uint8_t handles[2 * YS_FIELDS_MOST];
    struct ys_writer writer = ys_writer_to(handles, sizeof handles);
    if (!characteristic->presentation)
        return;
    if (type->field_count == 0)
        add_presentation(layout, service, characteristic, type);
    for (size_t i = 0; i < type->field_count; i++) {
        add_presentation(layout, service, characteristic, &type->fields[i]);
        ys_put_u16(&writer, (uint16_t)layout->count);
    }
    if (type->field_count > 1)
        (void)add_adopted(layout, service, characteristic, 0x2905, handles, ys_writer_stored(&writer));
}

/* The least and the greatest value, as the value is sent. */
static void add_range(struct ys_layout *layout, const struct ys_service *service,
                      const struct ys_characteristic *characteristic)
{
    uint8_t bytes[16];
    if (!characteristic->has_range)
        return;
    size_t size = ys_value_encode(&characteristic->type, characteristic->range[0], bytes);
    (void)ys_value_encode(&characteristic->type, characteristic->range[1], bytes + size);
    (void)add_adopted(layout, service, characteristic, 0x2906, bytes, 2 * size);
}

static void add_own(struct ys_layout *layout, const struct ys_service *service,
                    const struct ys_characteristic *characteristic, const struct ys_descriptor *own)
{
    struct ys_row *row = add_descriptor(layout, service, characteristic, &own->uuid, own->value, own->value_length);
    if (own->write.right != YS_RIGHT_NONE)
        make_stored(layout, row, &own->read, &own->write, (size_t)own->type.length.number, own->type.format->size == 0);
    else
        row->rights = rights_of(&own->read, &own->write);
}

static void add_descriptors(struct ys_layout *layout, const struct ys_service *service,
                            const struct ys_characteristic *characteristic)
{
    add_extended(layout, service, characteristic);
    add_description(layout, service, characteristic);
    add_server_configuration(layout, service, characteristic);
    add_presentations(layout, service, characteristic);
    add_range(layout, service, characteristic);
    for (size_t i = 0; i < characteristic->descriptor_count; i++)
        add_own(layout, service, characteristic, &characteristic->descriptors[i]);
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
    for (size_t i = 0; i < layout->count; i++)
        layout->asks |= (layout->rows[i].rights & (YS_ASKS_TO_READ | YS_ASKS_TO_WRITE)) != 0;
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

/* Sizes of the structs of table.h where pointers have 32 bits. */
enum { FLASH_TABLE = 24, FLASH_ATTRIBUTE = 12, FLASH_VALUE = 20, FLASH_NOTIFIABLE = 4 };

size_t ys_layout_flash(const struct ys_layout *layout)
{
    size_t size = FLASH_TABLE + layout->count * FLASH_ATTRIBUTE + layout->long_uuid_count * 16 +
                  (size_t)layout->notifiable_count * FLASH_NOTIFIABLE;
    for (size_t i = 0; i < layout->count; i++) {
        const struct ys_row *row = &layout->rows[i];
        bool constant =
            row->kind == YS_ATTRIBUTE_VALUE && row->characteristic->value != NULL && !row->characteristic->read_handler;
        size += row->kind == YS_ATTRIBUTE_VALUE || row->kind == YS_ATTRIBUTE_STORED ? FLASH_VALUE : 0;
        size += constant ? row->characteristic->value_length : 0;
        size += row->length;
    }
    return size;
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
        ys_put_bytes(&writer, row->bytes, row->length);
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
    case YS_ATTRIBUTE_FEATURES:
    case YS_ATTRIBUTE_STORED:
    default:
        return -1;
    }
    return (int)ys_writer_stored(&writer);
}
