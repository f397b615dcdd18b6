/* A table whose handlers are counted: a copy of the firmware's, in memory that the firmware gives. */
#include <yarnswift/step.h>

#include <string.h>

static struct ys_step *watching; /* a handler gets nothing by which its table could be found */

static const struct ys_value *value_of(uint16_t handle)
{
    return watching->table->attributes[handle - 1].source;
}

static uint8_t watched_read(const struct ys_access *access, struct ys_writer *value)
{
    uint32_t began = ys_step_ticks(watching);
    uint8_t error = value_of(access->handle)->read(access, value);
    ys_step_count(watching, 'r', access->handle, began);
    return error;
}

static uint8_t watched_write(const struct ys_access *access, struct ys_reader *value)
{
    uint32_t began = ys_step_ticks(watching);
    uint8_t error = value_of(access->handle)->write(access, value);
    ys_step_count(watching, 'w', access->handle, began);
    return error;
}

static uint8_t watched_consent(const struct ys_access *access, enum ys_access_kind wish)
{
    uint32_t began = ys_step_ticks(watching);
    uint8_t error = watching->table->consent(access, wish);
    ys_step_count(watching, 'c', access->handle, began);
    return error;
}

static bool has_handler(const struct ys_attribute *attribute)
{
    uint8_t kind = attribute->kind & YS_ATTRIBUTE_KIND_MASK;
    if ((kind != YS_ATTRIBUTE_VALUE && kind != YS_ATTRIBUTE_STORED) || attribute->source == NULL)
        return false;
    const struct ys_value *value = attribute->source;
    return value->read != NULL || value->write != NULL;
}

static size_t aligned(size_t size)
{
    return (size + 7) & ~(size_t)7;
}

const struct ys_table *ys_step_watch(struct ys_step *step, struct ys_host *host)
{
    const struct ys_step_settings *settings = step->settings;
    const struct ys_table *table = settings->firmware->table;
    size_t handlers = 0;
    for (size_t i = 0; i < table->attribute_count; i++)
        handlers += has_handler(&table->attributes[i]);
    size_t attributes_size = aligned(table->attribute_count * sizeof(struct ys_attribute));
    size_t values_size = aligned(handlers * sizeof(struct ys_value));
    step->host = host;
    step->table = table;
    if (settings->memory == NULL ||
        settings->memory_size < attributes_size + values_size + sizeof(struct ys_step_count))
        return table;
    watching = step;
    char *memory = settings->memory;
    struct ys_attribute *attributes = (struct ys_attribute *)(void *)memory;
    struct ys_value *values = (struct ys_value *)(void *)(memory + attributes_size);
    step->counts = (struct ys_step_count *)(void *)(memory + attributes_size + values_size);
    size_t most = (settings->memory_size - attributes_size - values_size) / sizeof *step->counts;
    step->count_most = (uint16_t)(most < 512 ? most : 512);
    memset(step->counts, 0, step->count_most * sizeof *step->counts);
    for (size_t i = 0; i < table->attribute_count; i++) {
        attributes[i] = table->attributes[i];
        if (!has_handler(&attributes[i]))
            continue;
        *values = *(const struct ys_value *)attributes[i].source;
        if (values->read != NULL)
            values->read = watched_read;
        if (values->write != NULL)
            values->write = watched_write;
        attributes[i].source = values++;
    }
    step->watched = *table;
    step->watched.attributes = attributes;
    if (table->consent != NULL)
        step->watched.consent = watched_consent;
    return &step->watched;
}
