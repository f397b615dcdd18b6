/* The reader, the writer, addresses and UUIDs. */
#include "bytes.h"

#include <string.h>

/*@ requires reads(reader);
    requires size <= 8;
    assigns *reader, \result \from *reader, size;
    ensures on{Old, Here}(reader);
    ensures reader->left <= \old(reader->left); */
static uint64_t get_number(struct ys_reader *reader, size_t size);

/*@ requires reads(reader);
    requires 0 < size <= 8 && sign == 8 * size - 1 || size == 2 && sign == 11;
    assigns *reader, \result \from *reader, size, sign;
    ensures on{Old, Here}(reader); */
static int64_t get_signed(struct ys_reader *reader, size_t size, unsigned sign);

/*@ requires writes(writer);
    requires readable((uint8_t *)bytes, length);
    requires length <= 0 || \separated(writer, (uint8_t *)bytes + (0 .. length - 1));
    requires apart(writer->start, writer->capacity, (uint8_t *)bytes, length);
    assigns writer->length, writer->start[0 .. writer->capacity - 1];
    ensures writes(writer); */
void ys_put_bytes(struct ys_writer *writer, const void *bytes, size_t length);

/*@ requires writes(writer);
    assigns writer->length, writer->start[0 .. writer->capacity - 1];
    ensures writes(writer); */
void ys_put_u8(struct ys_writer *writer, uint8_t value);

/*@ requires writes(writer);
    assigns writer->length, writer->start[0 .. writer->capacity - 1];
    ensures writes(writer); */
void ys_put_u16(struct ys_writer *writer, uint16_t value);

#include "wire/bytes.c"
