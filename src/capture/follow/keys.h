/* The known keys: given by the user, seen at an interface, or derived from a pairing. */
#ifndef CAPTURE_KEYS_H
#define CAPTURE_KEYS_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#define YS_KEYS_MOST 256

/* In air order. If there are more, the oldest is dropped. */
struct ys_keys {
    uint8_t keys[YS_KEYS_MOST][16];
    size_t count; /* added so far, those that were there already not counted */
};

/* Adds one; a key of zeros is none. */
void ys_keys_add(struct ys_keys *keys, const uint8_t key[16]);

/* The key that was added this many before the newest; NULL: there are no more. */
const uint8_t *ys_keys_newest(const struct ys_keys *keys, size_t before);

#endif
