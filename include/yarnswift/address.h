/* Device addresses (Core 5.4 Vol 6 Part B 1.3). */
#ifndef YARNSWIFT_ADDRESS_H
#define YARNSWIFT_ADDRESS_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include <yarnswift/bytes.h>

#ifdef __cplusplus
extern "C" {
#endif

/* The types of an address, as HCI numbers them. */
enum ys_address_type { YS_ADDRESS_PUBLIC = 0, YS_ADDRESS_RANDOM = 1 };

/* An address with its type; bytes in air order (least significant first). */
struct ys_address {
    uint8_t type;
    uint8_t bytes[6];
};

/* Room for an address as text, with its terminating zero. */
#define YS_ADDRESS_TEXT_SIZE 18

/* Whether both are the same address of the same type. */
bool ys_address_is_equal(const struct ys_address *a, const struct ys_address *b);

/* Turns six random bytes into a static random address: the two highest bits are set (Vol 6 Part B 1.3.2.1). */
struct ys_address ys_address_static(const uint8_t random[6]);

/* What kind of address it is, in the words of the standard: "public", "random static", "random resolvable",
 * "random non-resolvable" or, where the standard keeps the two highest bits for later, "random reserved". */
const char *ys_address_kind(const struct ys_address *address);

/* Reads six pairs of hexadecimal digits with colons, most significant first; the type is the caller's to set.
 * Returns false, and leaves `address` alone, if the text is anything else. */
bool ys_address_parse(const char *text, size_t length, struct ys_address *address);

/* Writes it most significant byte first, with colons. Returns `text`. */
char *ys_address_format(const struct ys_address *address, char text[YS_ADDRESS_TEXT_SIZE]);

/* Puts or gets the six bytes in air order; the type travels elsewhere. */
void ys_put_address(struct ys_writer *writer, const struct ys_address *address);
void ys_get_address(struct ys_reader *reader, struct ys_address *address);

#ifdef __cplusplus
}
#endif

#endif
