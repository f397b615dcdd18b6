/* Sixteen bytes are a polynomial whose first bit is its highest power. What lies sixteen bytes further on is worth
 * x^128 less; so the first half is multiplied by x^192 and the second by x^128, each modulo the CRC's polynomial, and
 * added to what lies there. A product of turned halves is one bit too low, so that the powers are one less. */
#include "machine/crc_instructions.h"

#include "machine/instructions.h"
#include "wire/link.h"

#if YS_MACHINE_KNOWN
#include <immintrin.h>

#define BLOCK 16

/* x^191 and x^127 modulo the polynomial; x^0 is bit 63. */
#define POWER_191 INT64_C(-0x0e58090000000000) /* 0xf1a7f7 in the three bytes at the top */
#define POWER_127 INT64_C(0x00419e0000000000)

__attribute__((target("pclmul,sse4.1"))) uint32_t ys_crc_fold(uint32_t init, const uint8_t *bytes, size_t length)
{
    const __m128i powers = _mm_set_epi64x(POWER_127, POWER_191);
    uint8_t last[BLOCK];
    __m128i sum = _mm_loadu_si128((const __m128i *)(const void *)bytes);
    sum = _mm_xor_si128(sum, _mm_cvtsi32_si128((int)ys_link_crc_turn(init)));
#pragma GCC unroll 4
    for (bytes += BLOCK, length -= BLOCK; length >= BLOCK; bytes += BLOCK, length -= BLOCK) {
        __m128i next = _mm_loadu_si128((const __m128i *)(const void *)bytes);
        __m128i first = _mm_clmulepi64_si128(sum, powers, 0x00);
        __m128i second = _mm_clmulepi64_si128(sum, powers, 0x11);
        sum = _mm_xor_si128(_mm_xor_si128(first, second), next);
    }
    _mm_storeu_si128((__m128i *)(void *)last, sum);
    return ys_link_crc_turn(ys_link_crc_go_on(ys_link_crc_go_on(0, last, BLOCK), bytes, length));
}
#else
uint32_t ys_crc_fold(uint32_t init, const uint8_t *bytes, size_t length)
{
    return ys_link_crc(init, bytes, length);
}
#endif
