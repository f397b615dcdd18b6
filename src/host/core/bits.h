/* Bits, one a notifiable, and words that an interrupt or another thread may use meanwhile. */
#ifndef HOST_CORE_BITS_H
#define HOST_CORE_BITS_H

#include <yarnswift/host.h>

/* Each such word by itself is whole, and what was written before it is written before it. A processor that has one core
 * and takes its accesses in order (ARMv6-M, RV32 without atomics) only needs a compiler that does, too: it has no
 * instructions for more, and some compilers would want a library. */
#if defined(__GNUC__) && (defined(__ARM_ARCH_6M__) || (defined(__riscv) && !defined(__riscv_atomic)))
#define YS_LOAD(word)         ys_load(&(word))
#define YS_STORE(word, value) ys_store(&(word), (value))

static inline uint32_t ys_load(const uint32_t *word)
{
    uint32_t value = *(const volatile uint32_t *)word;
    __asm__ volatile("" ::: "memory");
    return value;
}

static inline void ys_store(uint32_t *word, uint32_t value)
{
    __asm__ volatile("" ::: "memory");
    *(volatile uint32_t *)word = value;
}
#elif defined(__GNUC__)
#define YS_LOAD(word)         __atomic_load_n(&(word), __ATOMIC_ACQUIRE)
#define YS_STORE(word, value) __atomic_store_n(&(word), (value), __ATOMIC_RELEASE)
#else
#define YS_LOAD(word)         (*(volatile const uint32_t *)&(word))
#define YS_STORE(word, value) (*(volatile uint32_t *)&(word) = (value))
#endif

bool ys_bit_get(const struct ys_bits *bits, uint16_t index);
void ys_bit_set(struct ys_bits *bits, uint16_t index, bool on);

/* How many words the bits of its table have. */
static inline size_t ys_words(const struct ys_host *host)
{
    return YS_NOTIFIABLES <= 32 ? 1 : (host->table->notifiable_count + 31u) / 32;
}

static inline bool ys_in_range(uint32_t value, uint32_t least, uint32_t greatest)
{
    return value >= least && value <= greatest;
}

#endif
