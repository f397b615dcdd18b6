/* Bits, one a notifiable, and words that an interrupt or another thread may use meanwhile. */
#ifndef HOST_CORE_BITS_H
#define HOST_CORE_BITS_H

#include <yarnswift/host.h>

/* Each such word by itself is whole. */
#if defined(__GNUC__)
#define YS_LOAD(word)         __atomic_load_n(&(word), __ATOMIC_ACQUIRE)
#define YS_STORE(word, value) __atomic_store_n(&(word), (value), __ATOMIC_RELEASE)
#else
#define YS_LOAD(word)         (*(volatile const uint32_t *)&(word))
#define YS_STORE(word, value) (*(volatile uint32_t *)&(word) = (value))
#endif

static inline bool ys_bit_get(const struct ys_bits *bits, uint16_t index)
{
    return (bits->words[index / 32] >> index % 32 & 1) != 0;
}

static inline void ys_bit_set(struct ys_bits *bits, uint16_t index, bool on)
{
    uint32_t mask = UINT32_C(1) << index % 32;
    if (on)
        bits->words[index / 32] |= mask;
    else
        bits->words[index / 32] &= ~mask;
}

static inline bool ys_in_range(uint32_t value, uint32_t least, uint32_t greatest)
{
    return value >= least && value <= greatest;
}

#endif
