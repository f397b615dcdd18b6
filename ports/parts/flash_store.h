/* A store of small records in two pages of flash: the store of a port. What was put stays through a power cut at any
 * moment, and both pages wear alike.
 *
 * Records are appended to one page. When it is full, those that still count are copied to the other, which then gets
 * the mark that makes it the one. Nothing is programmed twice, as flash with error correction demands it. */
#ifndef PORTS_PARTS_FLASH_STORE_H
#define PORTS_PARTS_FLASH_STORE_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

/* The flash. A byte that is erased is 0xff. */
struct ys_flash {
    uint32_t page_size; /* of each of the two: 512 bytes to 64 KiB; what is erased at once, or several of them */
    uint32_t unit;      /* what is programmed at once: 1, 2, 4, 8, 16 or 32 bytes; offsets and lengths are multiples */
    /* Page 0 or 1. False if it failed. */
    bool (*erase)(void *context, unsigned page);
    bool (*program)(void *context, unsigned page, uint32_t offset, const void *bytes, uint32_t length);
    void (*read)(void *context, unsigned page, uint32_t offset, void *bytes, uint32_t length);
    void *context;
};

/* A store. Its memory is the caller's; its fields are private. */
struct ys_flash_store {
    const struct ys_flash *flash;
    uint32_t end;      /* of the records in the page that counts */
    uint32_t sequence; /* of that page: it goes up with each copy */
    uint8_t page;      /* which that is */
    bool ready;
    bool torn; /* after the records lies something: nothing more can be appended */
};

/* Opens the store in the flash, or creates an empty one. False: the flash cannot be used, and the store keeps nothing.
 * `flash` must stay valid. All functions: from the main loop. */
bool ys_flash_store_open(struct ys_flash_store *store, const struct ys_flash *flash);

/* As in struct ys_port, with the store as its context. A record that is the same already is not written. */
bool ys_flash_store_put(struct ys_flash_store *store, uint16_t key, const void *bytes, size_t length);
size_t ys_flash_store_get(const struct ys_flash_store *store, uint16_t key, void *bytes, size_t size);
void ys_flash_store_delete(struct ys_flash_store *store, uint16_t key);

/* How many bytes of records fit besides those that count, headers and all. */
uint32_t ys_flash_store_room(const struct ys_flash_store *store);

/* How often the pages have been erased in all, if the flash was new: the figure of wear. */
uint32_t ys_flash_store_erased(const struct ys_flash_store *store);

#endif
