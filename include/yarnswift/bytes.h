/* Bounded reading and writing of little-endian bytes, the order of every Bluetooth protocol above the radio.
 *
 * A reader or writer never leaves its bounds: it remembers that it would have, and is asked once at the end. */
#ifndef YARNSWIFT_BYTES_H
#define YARNSWIFT_BYTES_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/* A cursor over bytes that somebody else owns. Fields are private. */
struct ys_reader {
    const uint8_t *next;
    size_t left;
    bool bad;
};

/* A cursor into memory that somebody else owns, seen through a window: the first `skip` bytes put are counted but
 * not stored, and so are those beyond `capacity`. With a capacity of 0 it only counts. Fields are private. */
struct ys_writer {
    uint8_t *start;
    size_t capacity;
    size_t skip;
    size_t length;
};

/* A reader of `length` bytes at `bytes`, which stay the caller's and must outlive it. From any context. */
struct ys_reader ys_reader_of(const void *bytes, size_t length);

/* The next number, least significant byte first; 0 once the reader has run over. From any context. */
uint8_t ys_get_u8(struct ys_reader *reader);
uint16_t ys_get_u16(struct ys_reader *reader);
uint32_t ys_get_u24(struct ys_reader *reader);
uint32_t ys_get_u32(struct ys_reader *reader);
uint64_t ys_get_u48(struct ys_reader *reader);
uint64_t ys_get_u64(struct ys_reader *reader);
int8_t ys_get_i8(struct ys_reader *reader);
int16_t ys_get_i12(struct ys_reader *reader); /* of two bytes, the lower twelve bits */
int16_t ys_get_i16(struct ys_reader *reader);
int32_t ys_get_i24(struct ys_reader *reader);
int32_t ys_get_i32(struct ys_reader *reader);
int64_t ys_get_i48(struct ys_reader *reader);
int64_t ys_get_i64(struct ys_reader *reader);

/* The next number of `size` bytes, 1 to 8, most significant byte first, as some advertisements have it; 0 once the
 * reader has run over. From any context. */
uint64_t ys_get_most_first(struct ys_reader *reader, size_t size);
int64_t ys_get_signed_most_first(struct ys_reader *reader, size_t size);

/* The next `length` bytes in place, or NULL if there are fewer (the reader is then bad). */
const uint8_t *ys_get_bytes(struct ys_reader *reader, size_t length);

/* The next `length` bytes copied to `to`; zeros if there are fewer (the reader is then bad). */
void ys_get_copy(struct ys_reader *reader, void *to, size_t length);

/* A reader of the next `length` bytes, which this one passes; bad, and empty, if there are fewer. */
struct ys_reader ys_get_part(struct ys_reader *reader, size_t length);

/* How many bytes are left; 0 once the reader has run over. */
size_t ys_reader_left(const struct ys_reader *reader);

/* Whether everything asked for was there. */
bool ys_reader_ok(const struct ys_reader *reader);

/* Whether everything asked for was there and nothing is left over. */
bool ys_reader_done(const struct ys_reader *reader);

/* A writer to `capacity` bytes at `start`, which stay the caller's and must outlive it. `start` may be NULL if
 * `capacity` is 0: the writer then only counts. From any context. */
struct ys_writer ys_writer_to(void *start, size_t capacity);

/* Like ys_writer_to, but the first `skip` bytes put are dropped: the window of a long value that starts there. */
struct ys_writer ys_writer_window(void *start, size_t capacity, size_t skip);

/* Puts a number, least significant byte first. From any context. */
void ys_put_u8(struct ys_writer *writer, uint8_t value);
void ys_put_u16(struct ys_writer *writer, uint16_t value);
void ys_put_u24(struct ys_writer *writer, uint32_t value);
void ys_put_u32(struct ys_writer *writer, uint32_t value);
void ys_put_u48(struct ys_writer *writer, uint64_t value);
void ys_put_u64(struct ys_writer *writer, uint64_t value);
void ys_put_i8(struct ys_writer *writer, int8_t value);
void ys_put_i12(struct ys_writer *writer, int16_t value); /* in two bytes, the upper four bits 0 */
void ys_put_i16(struct ys_writer *writer, int16_t value);
void ys_put_i24(struct ys_writer *writer, int32_t value);
void ys_put_i32(struct ys_writer *writer, int32_t value);
void ys_put_i48(struct ys_writer *writer, int64_t value);
void ys_put_i64(struct ys_writer *writer, int64_t value);

/* Puts a number in `size` bytes, 1 to 8, most significant byte first. From any context. */
void ys_put_most_first(struct ys_writer *writer, uint64_t value, size_t size);

/* Puts `length` bytes; `bytes` may be NULL if `length` is 0. */
void ys_put_bytes(struct ys_writer *writer, const void *bytes, size_t length);

/* Puts the characters of `text` without its terminating zero. */
void ys_put_text(struct ys_writer *writer, const char *text);

/* How many bytes were put in all, stored or not. */
size_t ys_writer_length(const struct ys_writer *writer);

/* How many bytes are stored at the writer's start. */
size_t ys_writer_stored(const struct ys_writer *writer);

/* Whether everything put was stored or skipped: nothing fell off the end. */
bool ys_writer_ok(const struct ys_writer *writer);

#ifdef __cplusplus
}
#endif

#endif
