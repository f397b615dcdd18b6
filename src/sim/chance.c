/* Chance: a 64-bit counter passed through a mixing function (Steele, Lea and Flood, 2014). */
#include "sim/chance.h"

static uint64_t mix(uint64_t value)
{
    value = (value ^ value >> 30) * UINT64_C(0xbf58476d1ce4e5b9);
    value = (value ^ value >> 27) * UINT64_C(0x94d049bb133111eb);
    return value ^ value >> 31;
}

struct ys_chance ys_chance_of(uint64_t seed, uint64_t stream)
{
    return (struct ys_chance){.state = mix(seed + UINT64_C(0x9e3779b97f4a7c15)) ^ mix(~stream)};
}

uint64_t ys_chance_next(struct ys_chance *chance)
{
    chance->state += UINT64_C(0x9e3779b97f4a7c15);
    return mix(chance->state);
}

uint32_t ys_chance_below(struct ys_chance *chance, uint32_t below)
{
    /* the bias of a 32-bit range taken from 64 random bits is below 2^-32 */
    return (uint32_t)(ys_chance_next(chance) % below);
}

void ys_chance_fill(struct ys_chance *chance, void *bytes, size_t length)
{
    uint8_t *to = bytes;
    for (size_t i = 0; i < length; i++)
        to[i] = (uint8_t)(ys_chance_next(chance) >> 32);
}
