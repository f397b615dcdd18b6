/* A number by which bytes are told apart. */
#include "capture/follow/hash.h"

uint32_t ys_hash(const uint8_t *bytes, size_t length)
{
    uint32_t hash = 2166136261u;
    for (size_t i = 0; i < length; i++)
        hash = (hash ^ bytes[i]) * 16777619u;
    return hash;
}
