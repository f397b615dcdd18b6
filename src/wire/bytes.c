/* Bounded reading and writing of little-endian bytes. */
#include <yarnswift/bytes.h>

#include <string.h>

struct ys_reader ys_reader_of(const void *bytes, size_t length)
{
    return (struct ys_reader){.next = bytes, .left = length, .bad = false};
}

const uint8_t *ys_get_bytes(struct ys_reader *reader, size_t length)
{
    if (reader->bad || length > reader->left) {
        reader->bad = true;
        return NULL;
    }
    const uint8_t *bytes = reader->next;
    if (length > 0) /* an empty reader may stand on NULL, from which nothing may be counted */
        reader->next += length;
    reader->left -= length;
    return bytes;
}

/* Vol 3 Part G 2.4. */
static uint64_t get_number(struct ys_reader *reader, size_t size)
{
    const uint8_t *bytes = ys_get_bytes(reader, size);
    uint64_t value = 0;
    if (bytes == NULL)
        return 0;
    /*@ loop assigns i, value; loop invariant i <= size; */
    for (size_t i = size; i > 0; i--)
        value = value << 8 | bytes[i - 1];
    return value;
}

uint8_t ys_get_u8(struct ys_reader *reader)
{
    const uint8_t *bytes = ys_get_bytes(reader, 1);
    return bytes != NULL ? bytes[0] : 0;
}

uint16_t ys_get_u16(struct ys_reader *reader)
{
    const uint8_t *bytes = ys_get_bytes(reader, 2);
    if (bytes == NULL)
        return 0;
    return (uint16_t)(bytes[0] | (unsigned)bytes[1] << 8);
}

uint32_t ys_get_u24(struct ys_reader *reader)
{
    return (uint32_t)get_number(reader, 3);
}

uint32_t ys_get_u32(struct ys_reader *reader)
{
    uint32_t low = ys_get_u16(reader);
    uint32_t high = ys_get_u16(reader);
    return reader->bad ? 0 : low | high << 16;
}

/* A number of `size` bytes whose sign is in bit `sign`, counted from 0. */
static int64_t get_signed(struct ys_reader *reader, size_t size, unsigned sign)
{
    uint64_t bit = UINT64_C(1) << sign;
    uint64_t value = get_number(reader, size) & (bit | (bit - 1));
    return (int64_t)((value ^ bit) - bit);
}

int16_t ys_get_i12(struct ys_reader *reader)
{
    return (int16_t)get_signed(reader, 2, 11);
}

int32_t ys_get_i24(struct ys_reader *reader)
{
    return (int32_t)get_signed(reader, 3, 23);
}

int64_t ys_get_i48(struct ys_reader *reader)
{
    return get_signed(reader, 6, 47);
}

int64_t ys_get_i64(struct ys_reader *reader)
{
    return get_signed(reader, 8, 63);
}

uint64_t ys_get_u48(struct ys_reader *reader)
{
    return get_number(reader, 6);
}

uint64_t ys_get_u64(struct ys_reader *reader)
{
    return get_number(reader, 8);
}

int8_t ys_get_i8(struct ys_reader *reader)
{
    return (int8_t)ys_get_u8(reader);
}

int16_t ys_get_i16(struct ys_reader *reader)
{
    return (int16_t)ys_get_u16(reader);
}

int32_t ys_get_i32(struct ys_reader *reader)
{
    return (int32_t)ys_get_u32(reader);
}

void ys_get_copy(struct ys_reader *reader, void *to, size_t length)
{
    const uint8_t *bytes = ys_get_bytes(reader, length);
    if (length == 0)
        return;
    if (bytes != NULL)
        memcpy(to, bytes, length);
    else
        memset(to, 0, length);
}

struct ys_reader ys_get_part(struct ys_reader *reader, size_t length)
{
    const uint8_t *bytes = ys_get_bytes(reader, length);
    if (reader->bad)
        return (struct ys_reader){.next = NULL, .left = 0, .bad = true};
    return ys_reader_of(bytes, length);
}

size_t ys_reader_left(const struct ys_reader *reader)
{
    return reader->bad ? 0 : reader->left;
}

bool ys_reader_ok(const struct ys_reader *reader)
{
    return !reader->bad;
}

bool ys_reader_done(const struct ys_reader *reader)
{
    return !reader->bad && reader->left == 0;
}

struct ys_writer ys_writer_to(void *start, size_t capacity)
{
    return ys_writer_window(start, capacity, 0);
}

struct ys_writer ys_writer_window(void *start, size_t capacity, size_t skip)
{
    return (struct ys_writer){.start = start, .capacity = capacity, .skip = skip, .length = 0};
}

void ys_put_bytes(struct ys_writer *writer, const void *bytes, size_t length)
{
    const uint8_t *from = bytes;
    size_t at = writer->length;
    writer->length += length;
    if (at < writer->skip) {
        size_t dropped = writer->skip - at;
        if (dropped >= length)
            return;
        from += dropped;
        length -= dropped;
        at = writer->skip;
    }
    at -= writer->skip;
    if (length == 0 || at >= writer->capacity)
        return;
    memcpy(writer->start + at, from, length < writer->capacity - at ? length : writer->capacity - at);
}

void ys_put_u8(struct ys_writer *writer, uint8_t value)
{
    size_t at = writer->length++;
    if (at >= writer->skip && at - writer->skip < writer->capacity)
        writer->start[at - writer->skip] = value;
}

/* Vol 3 Part G 2.4. */
void ys_put_u16(struct ys_writer *writer, uint16_t value)
{
    ys_put_u8(writer, (uint8_t)value);
    ys_put_u8(writer, (uint8_t)(value >> 8));
}

void ys_put_u24(struct ys_writer *writer, uint32_t value)
{
    ys_put_u16(writer, (uint16_t)value);
    ys_put_u8(writer, (uint8_t)(value >> 16));
}

void ys_put_u32(struct ys_writer *writer, uint32_t value)
{
    ys_put_u16(writer, (uint16_t)value);
    ys_put_u16(writer, (uint16_t)(value >> 16));
}

void ys_put_u48(struct ys_writer *writer, uint64_t value)
{
    ys_put_u32(writer, (uint32_t)value);
    ys_put_u16(writer, (uint16_t)(value >> 32));
}

void ys_put_i12(struct ys_writer *writer, int16_t value)
{
    ys_put_u16(writer, (uint16_t)value & 0x0fff);
}

void ys_put_i24(struct ys_writer *writer, int32_t value)
{
    ys_put_u24(writer, (uint32_t)value);
}

void ys_put_i48(struct ys_writer *writer, int64_t value)
{
    ys_put_u48(writer, (uint64_t)value);
}

void ys_put_i64(struct ys_writer *writer, int64_t value)
{
    ys_put_u64(writer, (uint64_t)value);
}

void ys_put_u64(struct ys_writer *writer, uint64_t value)
{
    ys_put_u32(writer, (uint32_t)value);
    ys_put_u32(writer, (uint32_t)(value >> 32));
}

void ys_put_i8(struct ys_writer *writer, int8_t value)
{
    ys_put_u8(writer, (uint8_t)value);
}

void ys_put_i16(struct ys_writer *writer, int16_t value)
{
    ys_put_u16(writer, (uint16_t)value);
}

void ys_put_i32(struct ys_writer *writer, int32_t value)
{
    ys_put_u32(writer, (uint32_t)value);
}

void ys_put_text(struct ys_writer *writer, const char *text)
{
    for (; *text != '\0'; text++)
        ys_put_u8(writer, (uint8_t)*text);
}

size_t ys_writer_length(const struct ys_writer *writer)
{
    return writer->length;
}

size_t ys_writer_stored(const struct ys_writer *writer)
{
    if (writer->length <= writer->skip)
        return 0;
    size_t behind = writer->length - writer->skip;
    return behind < writer->capacity ? behind : writer->capacity;
}

bool ys_writer_ok(const struct ys_writer *writer)
{
    return writer->length <= writer->skip || writer->length - writer->skip <= writer->capacity;
}

void ys_put_most_first(struct ys_writer *writer, uint64_t value, size_t size)
{
    while (size-- > 0)
        ys_put_u8(writer, (uint8_t)(value >> 8 * size));
}

uint64_t ys_get_most_first(struct ys_reader *reader, size_t size)
{
    uint64_t value = 0;
    for (size_t i = 0; i < size; i++)
        value = value << 8 | ys_get_u8(reader);
    return ys_reader_ok(reader) ? value : 0;
}

int64_t ys_get_signed_most_first(struct ys_reader *reader, size_t size)
{
    uint64_t sign = UINT64_C(1) << (8 * size - 1);
    return (int64_t)((ys_get_most_first(reader, size) ^ sign) - sign);
}
