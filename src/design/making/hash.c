/* The database hash: AES-CMAC with a key of zeros over handles, types and the values of declarations. */
#include "design/making/hash.h"

#include <stdlib.h>

#include "design/model/memory.h"
#include "machine/crypto.h"

/* Vol 3 Part G 7.3.1. */
bool ys_database_hash(const struct ys_hashed *attributes, size_t count, uint8_t hash[16])
{
    static const uint8_t key[16];
    size_t size = 0;
    for (size_t i = 0; i < count; i++)
        size += 4 + attributes[i].length;
    uint8_t *message = ys_new(size + 1);
    struct ys_writer writer = ys_writer_to(message, size);
    for (size_t i = 0; i < count; i++) {
        ys_put_u16(&writer, attributes[i].handle);
        ys_put_u16(&writer, attributes[i].type);
        ys_put_bytes(&writer, attributes[i].value, attributes[i].length);
    }
    bool good = ys_crypto_cmac(key, message, size, hash);
    free(message);
    return good;
}

/* Whether attributes of this type take part, and with their value. */
static bool takes_part(const struct ys_uuid *type, bool *with_value)
{
    uint32_t number = ys_uuid_number(type);
    *with_value = (number >= 0x2800 && number <= 0x2803) || number == 0x2900;
    return *with_value || (number >= 0x2901 && number <= 0x2905);
}

/* Vol 3 Part G 7.3.1. */
bool ys_layout_hash(const struct ys_layout *layout, uint8_t hash[16])
{
    struct ys_hashed *attributes = ys_new((layout->count + 1) * sizeof *attributes);
    uint8_t(*values)[32] = ys_new((layout->count + 1) * sizeof *values);
    size_t count = 0;
    for (size_t i = 0; i < layout->count; i++) {
        bool with_value = false;
        if (!takes_part(&layout->rows[i].type, &with_value))
            continue;
        int length = with_value ? ys_row_value(layout, i, values[i], sizeof values[i]) : 0;
        attributes[count++] = (struct ys_hashed){.handle = (uint16_t)(i + 1),
                                                 .type = (uint16_t)ys_uuid_number(&layout->rows[i].type),
                                                 .value = values[i],
                                                 .length = length > 0 ? (size_t)length : 0};
    }
    bool good = ys_database_hash(attributes, count, hash);
    free(attributes);
    free(values);
    return good;
}

/* FNV-1a. */
static uint32_t stamp_bytes(uint32_t stamp, const void *bytes, size_t length)
{
    const uint8_t *next = bytes;
    while (length-- > 0)
        stamp = (stamp ^ *next++) * UINT32_C(16777619);
    return stamp;
}

uint32_t ys_layout_stamp(const struct ys_layout *layout)
{
    uint32_t stamp = UINT32_C(2166136261);
    for (size_t i = 0; i < layout->count; i++) {
        const struct ys_row *row = &layout->rows[i];
        uint8_t bytes[12];
        struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
        ys_put_u8(&writer, (uint8_t)row->kind);
        ys_put_u8(&writer, row->properties);
        ys_put_u16(&writer, row->rights);
        ys_put_u16(&writer, row->size);
        ys_put_u16(&writer, row->last_handle);
        ys_put_u8(&writer, row->variable);
        ys_put_u8(&writer, row->type.length);
        stamp = stamp_bytes(stamp, bytes, ys_writer_stored(&writer));
        stamp = stamp_bytes(stamp, row->type.bytes, row->type.length);
        stamp = stamp_bytes(stamp, row->uuid.bytes, row->uuid.length);
    }
    return stamp;
}
