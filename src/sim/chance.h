/* Chance: one generator a device and radio path, so that adding one does not reshuffle the others. */
#ifndef SIM_CHANCE_H
#define SIM_CHANCE_H

#include <stddef.h>
#include <stdint.h>

struct ys_chance {
    uint64_t state;
};

/* A generator for stream number `stream` of a run with this seed. */
struct ys_chance ys_chance_of(uint64_t seed, uint64_t stream);

/* Two numbers of devices, each below 2^24, as a stream. */
static inline uint64_t ys_chance_two(uint32_t one, uint32_t other)
{
    if ((one | other) < 0x10000)
        return (uint64_t)one << 16 | other;
    return UINT64_C(1) << 63 | (uint64_t)one << 24 | other;
}

uint64_t ys_chance_next(struct ys_chance *chance);

/* A number from 0 to `below` - 1, each as likely. `below` is at least 1. */
uint32_t ys_chance_below(struct ys_chance *chance, uint32_t below);

void ys_chance_fill(struct ys_chance *chance, void *bytes, size_t length);

#endif
