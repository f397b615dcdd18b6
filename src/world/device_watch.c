/* The firmware's handlers, so that it is known which of them runs. */
#include "world/device_watch.h"

#include <stdlib.h>

#include "world/device_log.h"
#include "world/device_state.h"

static const struct ys_value *value_of(const struct ys_device *device, uint16_t handle)
{
    return device->firmware.table->attributes[handle - 1].source;
}

static uint8_t watched_read(const struct ys_access *access, struct ys_writer *value)
{
    const struct ys_device *device = ys_device_of(access->host);
    const struct ys_running before =
        ys_running_begin(device->name, "the read handler", ys_device_value_name(device, access->handle));
    uint8_t error = value_of(device, access->handle)->read(access, value);
    ys_running_end(before);
    return error;
}

static uint8_t watched_write(const struct ys_access *access, struct ys_reader *value)
{
    const struct ys_device *device = ys_device_of(access->host);
    const struct ys_running before =
        ys_running_begin(device->name, "the write handler", ys_device_value_name(device, access->handle));
    uint8_t error = value_of(device, access->handle)->write(access, value);
    ys_running_end(before);
    return error;
}

static uint8_t watched_consent(const struct ys_access *access, enum ys_access_kind wish)
{
    const struct ys_device *device = ys_device_of(access->host);
    const struct ys_running before =
        ys_running_begin(device->name, "the consent handler", ys_device_value_name(device, access->handle));
    uint8_t answer = device->firmware.table->consent(access, wish);
    ys_running_end(before);
    return answer;
}

static bool has_value(const struct ys_attribute *attribute)
{
    uint8_t kind = attribute->kind & YS_ATTRIBUTE_KIND_MASK;
    return (kind == YS_ATTRIBUTE_VALUE || kind == YS_ATTRIBUTE_STORED) && attribute->source != NULL;
}

bool ys_device_watch(struct ys_device *device)
{
    const struct ys_table *table = device->firmware.table;
    struct watched_table *watched = &device->watched;
    watched->table = *table;
    watched->attributes = calloc(table->attribute_count, sizeof *watched->attributes);
    watched->values = calloc(table->attribute_count, sizeof *watched->values);
    if (watched->attributes == NULL || watched->values == NULL)
        return false;
    for (size_t i = 0; i < table->attribute_count; i++) {
        watched->attributes[i] = table->attributes[i];
        if (!has_value(&table->attributes[i]))
            continue;
        watched->values[i] = *(const struct ys_value *)table->attributes[i].source;
        if (watched->values[i].read != NULL)
            watched->values[i].read = watched_read;
        if (watched->values[i].write != NULL)
            watched->values[i].write = watched_write;
        watched->attributes[i].source = &watched->values[i];
    }
    watched->table.attributes = watched->attributes;
    if (table->consent != NULL)
        watched->table.consent = watched_consent;
    return true;
}
