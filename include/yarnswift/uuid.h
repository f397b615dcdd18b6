/* UUIDs of 16, 32 and 128 bits (Core 5.4 Vol 3 Part B 2.5.1). */
#ifndef YARNSWIFT_UUID_H
#define YARNSWIFT_UUID_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include <yarnswift/bytes.h>

#ifdef __cplusplus
extern "C" {
#endif

/* A UUID in the length in which it was given: 2, 4 or 16 bytes, in air order (least significant byte first). */
struct ys_uuid {
    uint8_t length;
    uint8_t bytes[16];
};

/* Room for a UUID as text, with its terminating zero. */
#define YS_UUID_TEXT_SIZE 37

/* The adopted UUID `number`. */
struct ys_uuid ys_uuid_of(uint16_t number);

/* Reads a UUID of `length` bytes (2, 4 or 16) in air order. Any other length gives one of length 0. */
struct ys_uuid ys_uuid_from_air(const uint8_t *bytes, size_t length);

/* The same UUID with all 128 bits, on the base UUID of the standard. */
struct ys_uuid ys_uuid_in_full(const struct ys_uuid *uuid);

/* Whether it lies in the range on the base UUID that the standard keeps for adopted numbers, however long. */
bool ys_uuid_is_adopted(const struct ys_uuid *uuid);

/* Its number if it is adopted, else 0. */
uint32_t ys_uuid_number(const struct ys_uuid *uuid);

/* Whether both mean the same, in whatever length each is given. */
bool ys_uuid_is_equal(const struct ys_uuid *a, const struct ys_uuid *b);

/* `uuid` in full with `offset` added to its first 32 bits, modulo 2^32: how a family of own UUIDs is counted up. */
struct ys_uuid ys_uuid_plus(const struct ys_uuid *uuid, uint32_t offset);

/* Reads `length` characters: 4 or 8 hexadecimal digits, with or without 0x, or the full form in writing order,
 * 8-4-4-4-12. Returns false, and leaves `uuid` alone, if it is none of these. */
bool ys_uuid_parse(const char *text, size_t length, struct ys_uuid *uuid);

/* Writes it in writing order: 0x180F, 0x12345678 or 8-4-4-4-12 in lower case. Returns `text`. */
char *ys_uuid_format(const struct ys_uuid *uuid, char text[YS_UUID_TEXT_SIZE]);

/* Puts its bytes in air order, in the length in which it was given. */
void ys_put_uuid(struct ys_writer *writer, const struct ys_uuid *uuid);

#ifdef __cplusplus
}
#endif

#endif
