/* A device that its definition plays: each value is kept in memory, and moves by itself where the definition says how.
 *
 * Its table is the generated one, built at run time: the same rows, with handlers that look into that memory. */
#include "world/stand_in.h"

#include <yarnswift/pairing.h>

#include "design/making/link.h"
#include "design/making/payload.h"
#include "design/making/security.h"

#include <math.h>
#include <stdlib.h>
#include <string.h>

#include "design/model/value.h"
#include "design/model/value_parse.h"
#include "sim/chance.h"

#define CHANCE_OF_STAND_INS UINT64_C(0x200000000)
#define PI                  3.14159265358979323846

/* A characteristic's value as it is now. */
struct moving {
    struct ys_stand_in_device *device;
    const struct ys_characteristic *characteristic;
    uint16_t handle;
    int64_t raw;
    uint16_t length;
    uint8_t bytes[512];
    struct ys_timer timer;
};

struct ys_stand_in_device {
    struct ys_world *world;
    const struct ys_design *design;
    struct ys_host *host;
    struct ys_layout *layout;
    struct ys_chance chance;
    struct ys_payload payload;
    struct ys_set_options options;
    struct ys_advertising advertising;
    struct ys_table table;
    struct ys_attribute *attributes;
    struct ys_value *values; /* one a row; only those of values are used */
    struct moving **movings; /* by handle - 1; NULL for what is no value */
    struct ys_notifiable *notifiables;
    uint8_t (*long_uuids)[16];
    struct ys_pairing pairing;
    struct ys_sets sets;
    struct ys_security security;
    struct ys_links links;
    struct ys_link_wishes link;
    uint8_t *memory; /* of descriptors that can be written */
};

/* The sim's clock is exact; a shape may be computed in floating point, since only its rounded number is sent. */
static int64_t shape_at(struct moving *moving, uint64_t now_ns)
{
    const struct ys_stand_in *stand_in = &moving->characteristic->stand_in;
    double range = (double)(stand_in->to - stand_in->from);
    double turn = stand_in->period_us.number > 0
                      ? (double)(now_ns / 1000 % stand_in->period_us.number) / (double)stand_in->period_us.number
                      : 0;
    switch (stand_in->shape) {
    case YS_SHAPE_RAMP:
        return stand_in->from + (int64_t)floor(turn * range + 0.5);
    case YS_SHAPE_SINE:
        return stand_in->from + (int64_t)floor((1 - cos(2 * PI * turn)) / 2 * range + 0.5);
    case YS_SHAPE_RANDOM_WALK: {
        uint64_t width = 2 * (uint64_t)stand_in->step + 1;
        int64_t next = moving->raw + (int64_t)(ys_chance_next(&moving->device->chance) % width) - stand_in->step;
        return next < stand_in->from ? stand_in->from : next > stand_in->to ? stand_in->to : next;
    }
    case YS_SHAPE_RECORDED:
        return stand_in->recorded[now_ns / (stand_in->every_us.number * YS_NS_PER_US) % stand_in->recorded_count];
    case YS_SHAPE_NONE:
    case YS_SHAPE_CONSTANT:
    default:
        return stand_in->from;
    }
}

static void show(struct moving *moving, int64_t raw)
{
    moving->raw = raw;
    moving->length = (uint16_t)ys_value_encode(&moving->characteristic->type, raw, moving->bytes);
}

static void move(void *context)
{
    struct moving *moving = context;
    struct ys_stand_in_device *device = moving->device;
    uint64_t now_ns = ys_world_now_ns(device->world);
    int64_t before = moving->raw;
    show(moving, shape_at(moving, now_ns));
    if (moving->raw != before)
        ys_host_changed(device->host, moving->handle);
    ys_clock_set(device->world->clock, &moving->timer,
                 now_ns + moving->characteristic->stand_in.every_us.number * YS_NS_PER_US);
}

static uint8_t read(const struct ys_access *access, struct ys_writer *value)
{
    const struct ys_stand_in_device *device = access->context;
    const struct moving *moving = device->movings[access->handle - 1];
    ys_put_bytes(value, moving->bytes, moving->length);
    return YS_ATT_OK;
}

/* The number of its range that is the nearest. */
static int64_t in_range(const struct ys_characteristic *characteristic, int64_t raw)
{
    return raw < characteristic->range[0]   ? characteristic->range[0]
           : raw > characteristic->range[1] ? characteristic->range[1]
                                            : raw;
}

/* What is beyond its range is refused, or taken for the nearest, where any value is. */
static uint8_t write(const struct ys_access *access, struct ys_reader *value)
{
    const struct ys_stand_in_device *device = access->context;
    struct moving *moving = device->movings[access->handle - 1];
    const struct ys_characteristic *characteristic = moving->characteristic;
    if (characteristic->has_range) { /* the length has been checked */
        struct ys_reader ahead = *value;
        int64_t raw =
            ys_value_decode(&characteristic->type, ys_get_bytes(&ahead, (size_t)characteristic->type.length.number));
        if (raw != in_range(characteristic, raw) && !characteristic->any_value)
            return YS_ATT_OUT_OF_RANGE;
        if (raw != in_range(characteristic, raw)) {
            (void)ys_get_bytes(value, ys_reader_left(value));
            show(moving, in_range(characteristic, raw));
            ys_host_changed(device->host, access->handle);
            return YS_ATT_OK;
        }
    }
    struct ys_reader whole = *value;
    size_t length = ys_reader_left(value);
    const uint8_t *bytes = ys_get_bytes(&whole, length);
    char why[120];
    if (!ys_value_fits(&characteristic->type, bytes, length)) /* a structure lacks a field */
        return YS_ATT_INVALID_VALUE_LENGTH;
    if (!ys_value_is_sound(characteristic, bytes, length, why, sizeof why))
        return YS_ATT_VALUE_NOT_ALLOWED;
    moving->length = (uint16_t)length;
    ys_get_copy(value, moving->bytes, moving->length);
    ys_host_changed(device->host, access->handle); /* the others are told */
    return YS_ATT_OK;
}

/* Who is asked while there is no firmware always agrees. */
static uint8_t consent(const struct ys_access *access, enum ys_access_kind wish)
{
    (void)access;
    (void)wish;
    return YS_ATT_OK;
}

/* What it is before anything has happened. */
static void begin(struct moving *moving)
{
    const struct ys_characteristic *characteristic = moving->characteristic;
    memset(moving->bytes, 0, sizeof moving->bytes);
    moving->length = (uint16_t)ys_value_zeros(&characteristic->type); /* where nothing else is said */
    if (characteristic->stand_in.shape != YS_SHAPE_NONE) {
        show(moving, characteristic->stand_in.from);
    } else if (characteristic->value != NULL) {
        memcpy(moving->bytes, characteristic->value, characteristic->value_length);
        moving->length = (uint16_t)characteristic->value_length;
    } else if (characteristic->has_range) {
        show(moving, in_range(characteristic, 0));
    }
}

static bool fill_value(struct ys_stand_in_device *device, size_t index)
{
    const struct ys_row *row = &device->layout->rows[index];
    const struct ys_characteristic *characteristic = row->characteristic;
    struct moving *moving = calloc(1, sizeof *moving);
    if (moving == NULL)
        return false;
    moving->device = device;
    moving->characteristic = characteristic;
    moving->handle = (uint16_t)(index + 1);
    moving->timer = (struct ys_timer){.fire = move, .context = moving};
    begin(moving);
    device->movings[index] = moving;
    device->values[index] =
        (struct ys_value){.read = read, .write = write, .stored_at = YS_NONE, .notifiable = row->notifiable};
    device->attributes[index].source = &device->values[index];
    if (row->notifiable != YS_NONE)
        device->notifiables[row->notifiable] = (struct ys_notifiable){
            .handle = (uint16_t)(index + 1), .spacing_ms = (uint16_t)(characteristic->spacing_us.number / 1000)};
    return true;
}

static bool fill_row(struct ys_stand_in_device *device, size_t index)
{
    const struct ys_row *row = &device->layout->rows[index];
    struct ys_attribute *attribute = &device->attributes[index];
    bool is_long = row->uuid.length == 16;
    *attribute = (struct ys_attribute){
        .number =
            is_long ? (uint16_t)ys_layout_long_uuid(device->layout, &row->uuid) : (uint16_t)ys_uuid_number(&row->uuid),
        .kind = (uint8_t)(row->kind | (row->variable ? YS_ATTRIBUTE_VARIABLE : 0)),
        .properties = row->properties,
        .rights = row->rights,
        .size = ys_row_is_service(row) ? row->last_handle : row->size,
        .source = row->bytes,
    };
    if (row->kind == YS_ATTRIBUTE_INCLUDE)
        attribute->number = ys_layout_service(device->layout, row->included);
    if (is_long && row->kind != YS_ATTRIBUTE_CHARACTERISTIC)
        attribute->kind |= YS_ATTRIBUTE_LONG_UUID;
    if (row->kind == YS_ATTRIBUTE_CONFIGURATION)
        attribute->number = row->notifiable;
    if (row->kind == YS_ATTRIBUTE_STORED) {
        device->values[index] = (struct ys_value){
            .bytes = row->bytes, .length = row->length, .stored_at = row->stored_at, .notifiable = YS_NONE};
        attribute->source = &device->values[index];
    }
    return row->kind != YS_ATTRIBUTE_VALUE || fill_value(device, index);
}

static bool build(struct ys_stand_in_device *device)
{
    if (device->design->security.given)
        ys_security_of(device->design, &device->security);
    const struct ys_layout *layout = device->layout;
    device->attributes = calloc(layout->count, sizeof *device->attributes);
    device->values = calloc(layout->count, sizeof *device->values);
    device->movings = calloc(layout->count, sizeof(struct moving *));
    device->notifiables = calloc((size_t)layout->notifiable_count + 1, sizeof *device->notifiables);
    device->long_uuids = calloc(layout->long_uuid_count + 1, 16);
    device->memory = calloc((size_t)layout->values_size + 1, 1);
    if (device->attributes == NULL || device->values == NULL || device->movings == NULL ||
        device->notifiables == NULL || device->long_uuids == NULL || device->memory == NULL)
        return false;
    for (size_t i = 0; i < layout->long_uuid_count; i++)
        memcpy(device->long_uuids[i], layout->long_uuids[i].bytes, 16);
    for (size_t i = 0; i < layout->count; i++) {
        if (!fill_row(device, i))
            return false;
    }
    device->table = (struct ys_table){
        .attributes = device->attributes,
        .long_uuids = (const uint8_t(*)[16])device->long_uuids,
        .notifiables = device->notifiables,
        .attribute_count = (uint16_t)layout->count,
        .notifiable_count = layout->notifiable_count,
        .values_size = layout->values_size,
        .consent = consent,
        .key_size = device->design->security.given ? device->security.key_size_min : 0,
    };
    return true;
}

struct ys_stand_in_device *ys_stand_in_new(struct ys_world *world, const struct ys_design *design, uint16_t number)
{
    struct ys_stand_in_device *device = calloc(1, sizeof *device);
    if (device == NULL)
        return NULL;
    device->world = world;
    device->design = design;
    device->chance = ys_chance_of(world->seed, CHANCE_OF_STAND_INS + number);
    device->layout = ys_layout_new(design);
    if (device->layout == NULL || !build(device)) {
        ys_stand_in_free(device);
        return NULL;
    }
    if (design->set_count == 0)
        return device;
    device->payload = ys_payload_compose(design, design->sets);
    device->advertising = ys_advertisement_settings(design->sets, &device->payload, &device->options);
    return device;
}

void ys_stand_in_free(struct ys_stand_in_device *device)
{
    if (device == NULL)
        return;
    if (device->movings != NULL && device->world->clock != NULL)
        ys_stand_in_stop(device);
    for (size_t i = 0; device->movings != NULL && i < device->layout->count; i++)
        free(device->movings[i]);
    ys_layout_free(device->layout);
    free(device->attributes);
    free(device->values);
    free(device->movings);
    free(device->notifiables);
    free(device->long_uuids);
    free(device->memory);
    free(device);
}

const struct ys_table *ys_stand_in_table(const struct ys_stand_in_device *device)
{
    return &device->table;
}

uint8_t *ys_stand_in_values(const struct ys_stand_in_device *device)
{
    return device->memory;
}

const struct ys_advertising *ys_stand_in_advertising(const struct ys_stand_in_device *device)
{
    return &device->advertising;
}

void ys_stand_in_start(struct ys_stand_in_device *device, struct ys_host *host)
{
    device->host = host;
    if (device->design->security.given) {
        enum ys_result result = ys_host_use_pairing(host, &device->pairing, &device->security);
        if (result != YS_OK)
            ys_world_say(device->world, YS_SIDE_DEVICE, device->design->name.text, "cannot pair: %s",
                         ys_result_text(result));
    }
    if (ys_design_has_sets(device->design))
        ys_host_use_sets(host, &device->sets);
    (void)ys_link_of(device->design, &device->link); /* without a word of it, it answers what it is asked */
    (void)ys_host_use_links(host, &device->links, &device->link);
    for (size_t i = 0; i < device->layout->count; i++) {
        struct moving *moving = device->movings[i];
        if (moving == NULL)
            continue;
        begin(moving);
        if (moving->characteristic->stand_in.shape < YS_SHAPE_RAMP)
            continue;
        uint64_t every_ns = moving->characteristic->stand_in.every_us.number * YS_NS_PER_US;
        ys_clock_set(device->world->clock, &moving->timer, ys_world_now_ns(device->world) + every_ns);
    }
}

void ys_stand_in_stop(struct ys_stand_in_device *device)
{
    for (size_t i = 0; i < device->layout->count; i++) {
        if (device->movings[i] != NULL)
            ys_clock_cancel(device->world->clock, &device->movings[i]->timer);
    }
}

void ys_stand_in_set(struct ys_stand_in_device *device, uint16_t handle, const uint8_t *bytes, size_t length)
{
    struct moving *moving = device->movings[handle - 1];
    memcpy(moving->bytes, bytes, length);
    moving->length = (uint16_t)length;
    ys_clock_cancel(device->world->clock, &moving->timer);
    ys_host_changed(device->host, handle);
}

const char *ys_stand_in_name(const struct ys_stand_in_device *device, uint16_t handle)
{
    const struct ys_characteristic *characteristic =
        handle <= device->layout->count ? device->layout->rows[handle - 1].characteristic : NULL;
    return characteristic != NULL ? characteristic->name : NULL;
}
