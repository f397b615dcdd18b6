/* What the reader and the writer of bytes ask of their callers and promise them, for every parser that is built on
 * them. `proofs/bytes.c` shows that the promises are kept. */
#include <yarnswift/address.h>
#include <yarnswift/bytes.h>
#include <yarnswift/uuid.h>

/*@ predicate readable(uint8_t *bytes, integer length) = length <= 0 || \valid_read(bytes + (0 .. length - 1));
    predicate writable(uint8_t *bytes, integer length) = length <= 0 || \valid(bytes + (0 .. length - 1));
    predicate reads(struct ys_reader *reader) =
        \valid(reader) && readable(reader->next, reader->left);
    predicate on{A, B}(struct ys_reader *reader) =
        reads{B}(reader) && (\at(reader->bad, A) ==> \at(reader->bad, B)) &&
        \base_addr{A}(\at(reader->next, A)) == \base_addr{B}(\at(reader->next, B));
    predicate writes(struct ys_writer *writer) =
        \valid(writer) && writable(writer->start, writer->capacity) &&
        (writer->capacity <= 0 || \separated(writer, writer->start + (0 .. writer->capacity - 1)));

    predicate apart(uint8_t *a, integer length, uint8_t *b, integer other) =
        length <= 0 || other <= 0 || \separated(a + (0 .. length - 1), b + (0 .. other - 1));
*/

/*@ requires readable((uint8_t *)bytes, length);
    assigns \result \from bytes, length;
    ensures \result.next == bytes && \result.left == length && \result.bad == 0; */
struct ys_reader ys_reader_of(const void *bytes, size_t length);

/*@ requires reads(reader);
    assigns *reader, \result \from *reader, length;
    ensures on{Old, Here}(reader);
    ensures reader->left <= \old(reader->left);
    ensures \result == \null || (\result == \old(reader->next) && length <= \old(reader->left));
    ensures \result == \null || readable(\result, length);
    ensures !reader->bad ==> \result == \old(reader->next) && readable(\result, length);
    ensures !reader->bad ==> reader->left == \old(reader->left) - length;
    ensures \old(!reader->bad && length <= reader->left) ==> !reader->bad; */
const uint8_t *ys_get_bytes(struct ys_reader *reader, size_t length);

/*@ requires reads(reader);
    requires writable((uint8_t *)to, length);
    requires length <= 0 || \separated(reader, (uint8_t *)to + (0 .. length - 1));
    requires length <= 0 || \base_addr(reader->next) != \base_addr((uint8_t *)to);
    assigns *reader, ((uint8_t *)to)[0 .. length - 1];
    ensures on{Old, Here}(reader); */
void ys_get_copy(struct ys_reader *reader, void *to, size_t length);

/*@ requires reads(reader);
    assigns *reader, \result \from *reader, length;
    ensures on{Old, Here}(reader);
    ensures readable(\result.next, \result.left) && (\result.bad || \base_addr(\result.next) ==
   \base_addr(\old(reader->next))); ensures \result.bad || \result.left == length; ensures (\result.bad == 0 ||
   \result.bad == 1); */
struct ys_reader ys_get_part(struct ys_reader *reader, size_t length);

/*@ requires \valid_read(reader);
    assigns \result \from *reader;
    ensures \result <= reader->left && (reader->bad || \result == reader->left) && (!reader->bad || \result == 0); */
size_t ys_reader_left(const struct ys_reader *reader);

/*@ requires \valid_read(reader);
    assigns \result \from *reader;
    ensures \result <==> !reader->bad; */
bool ys_reader_ok(const struct ys_reader *reader);

/*@ requires \valid_read(reader);
    assigns \result \from *reader;
    ensures \result <==> (!reader->bad && reader->left == 0); */
bool ys_reader_done(const struct ys_reader *reader);

/* A number: whatever it is. */
/*@ requires reads(reader);
    assigns *reader, \result \from *reader;
    ensures on{Old, Here}(reader);
    ensures reader->left <= \old(reader->left);
    ensures !reader->bad ==> reader->left == \old(reader->left) - 1; */
uint8_t ys_get_u8(struct ys_reader *reader);
/*@ requires reads(reader); assigns *reader, \result \from *reader; ensures on{Old, Here}(reader); */
uint16_t ys_get_u16(struct ys_reader *reader);
/*@ requires reads(reader); assigns *reader, \result \from *reader; ensures on{Old, Here}(reader); */
uint32_t ys_get_u24(struct ys_reader *reader);
/*@ requires reads(reader); assigns *reader, \result \from *reader; ensures on{Old, Here}(reader); */
uint32_t ys_get_u32(struct ys_reader *reader);
/*@ requires reads(reader); assigns *reader, \result \from *reader; ensures on{Old, Here}(reader); */
uint64_t ys_get_u48(struct ys_reader *reader);
/*@ requires reads(reader); assigns *reader, \result \from *reader; ensures on{Old, Here}(reader); */
uint64_t ys_get_u64(struct ys_reader *reader);
/*@ requires reads(reader); assigns *reader, \result \from *reader; ensures on{Old, Here}(reader); */
int8_t ys_get_i8(struct ys_reader *reader);

/*@ requires reads(reader);
    requires \valid(address);
    requires \separated(reader, address) && \base_addr(reader->next) != \base_addr((uint8_t *)address);
    assigns *reader, address->bytes[0 .. 5];
    ensures on{Old, Here}(reader); */
void ys_get_address(struct ys_reader *reader, struct ys_address *address);

/*@ predicate is_uuid(struct ys_uuid *uuid) = uuid->length == 2 || uuid->length == 4 || uuid->length == 16; */

/*@ requires length == 2 || length == 4 || length == 16;
    requires \valid_read(bytes + (0 .. length - 1));
    assigns \result \from bytes[0 .. length - 1], length;
    ensures \result.length == length; */
struct ys_uuid ys_uuid_from_air(const uint8_t *bytes, size_t length);
