/* A number by which bytes are told apart. */
#include "capture/follow/hash.h"

#include <string.h>

static uint64_t mix(uint64_t hash, uint64_t word)
{
    hash = (hash ^ word) * UINT64_C(0x9e3779b97f4a7c15);
    return hash ^ hash >> 29;
}

uint32_t ys_hash(const uint8_t *bytes, size_t length)
{
    uint64_t hash = length;
    uint64_t word;
    for (; length >= sizeof word; length -= sizeof word, bytes += sizeof word) {
        memcpy(&word, bytes, sizeof word);
        hash = mix(hash, word);
    }
    word = 0;
    if (length > 0)
        memcpy(&word, bytes, length);
    return (uint32_t)(mix(hash, word) >> 16);
}
