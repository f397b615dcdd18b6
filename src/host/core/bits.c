/* Bits, one a notifiable. Called rather than inlined: there are many of them, and a small processor has no shorter way.
 */
#include "host/core/bits.h"

bool ys_bit_get(const struct ys_bits *bits, uint16_t index)
{
    return (bits->words[index / 32] >> index % 32 & 1) != 0;
}

void ys_bit_set(struct ys_bits *bits, uint16_t index, bool on)
{
    uint32_t mask = UINT32_C(1) << index % 32;
    if (on)
        bits->words[index / 32] |= mask;
    else
        bits->words[index / 32] &= ~mask;
}
