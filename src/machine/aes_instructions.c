#include "machine/aes_instructions.h"

#include "machine/instructions.h"

#if YS_MACHINE_KNOWN
#include <string.h>

#include <immintrin.h>

#define BLOCK 16
#define LAST  (YS_AES_ROUND_KEYS - 1)

/* The first byte of blocks that CCM encrypts (RFC 3610 2.2, 2.3): of the MIC's first, which says that something is
 * under the MIC that is not encrypted, that the MIC has 4 bytes, and a length 2; and of the key stream's. */
#define FLAGS_OF_MIC    0x49
#define FLAGS_OF_STREAM 0x01

#define WITH_AES __attribute__((target("aes,sse4.1")))

WITH_AES static inline __m128i load(const uint8_t *bytes)
{
    return _mm_loadu_si128((const __m128i *)(const void *)bytes);
}

WITH_AES static inline void store(uint8_t *bytes, __m128i block)
{
    _mm_storeu_si128((__m128i *)(void *)bytes, block);
}

/* The next round key: each word of the last one, with all before it, and what the instruction makes of its last. */
WITH_AES static inline __m128i next_key(__m128i key, __m128i made)
{
    key = _mm_xor_si128(key, _mm_slli_si128(key, 4));
    key = _mm_xor_si128(key, _mm_slli_si128(key, 8));
    return _mm_xor_si128(key, _mm_shuffle_epi32(made, 0xff));
}

/* FIPS 197 5.2. The round constants are part of the instructions. */
WITH_AES void ys_aes_expand(const uint8_t key[16], struct ys_aes_keys *keys)
{
    __m128i round = load(key);
    store(keys->bytes[0], round);
#define EXPAND(number, constant)                                                                                       \
    round = next_key(round, _mm_aeskeygenassist_si128(round, constant));                                               \
    store(keys->bytes[number], round)
    EXPAND(1, 0x01);
    EXPAND(2, 0x02);
    EXPAND(3, 0x04);
    EXPAND(4, 0x08);
    EXPAND(5, 0x10);
    EXPAND(6, 0x20);
    EXPAND(7, 0x40);
    EXPAND(8, 0x80);
    EXPAND(9, 0x1b);
    EXPAND(10, 0x36);
#undef EXPAND
}

/* FIPS 197 5.1, of two blocks at the same time, which takes no longer than one. */
WITH_AES static inline void encrypt_two(const __m128i keys[YS_AES_ROUND_KEYS], __m128i *one, __m128i *other)
{
    __m128i a = _mm_xor_si128(*one, keys[0]);
    __m128i b = _mm_xor_si128(*other, keys[0]);
#pragma GCC unroll 10
    for (int i = 1; i < LAST; i++) {
        a = _mm_aesenc_si128(a, keys[i]);
        b = _mm_aesenc_si128(b, keys[i]);
    }
    *one = _mm_aesenclast_si128(a, keys[LAST]);
    *other = _mm_aesenclast_si128(b, keys[LAST]);
}

WITH_AES void ys_aes_block(const struct ys_aes_keys *keys, const uint8_t plain[16], uint8_t cipher[16])
{
    __m128i block = _mm_xor_si128(load(plain), load(keys->bytes[0]));
#pragma GCC unroll 10
    for (int i = 1; i < LAST; i++)
        block = _mm_aesenc_si128(block, load(keys->bytes[i]));
    store(cipher, _mm_aesenclast_si128(block, load(keys->bytes[LAST])));
}

/* Flags, a nonce, and two bytes: a length, or a count of blocks. */
WITH_AES static inline __m128i block_of(uint8_t flags, const uint8_t nonce[13], size_t number)
{
    uint8_t bytes[BLOCK] = {flags};
    memcpy(bytes + 1, nonce, 13);
    bytes[14] = (uint8_t)(number >> 8);
    bytes[15] = (uint8_t)number;
    return load(bytes);
}

/* The last bytes, after which the MIC has zeros. Returns what of them is under the MIC. */
WITH_AES static __m128i cross_last(bool seals, __m128i stream, const uint8_t *from, size_t length, uint8_t *to)
{
    uint8_t in[BLOCK] = {0};
    uint8_t out[BLOCK];
    memcpy(in, from, length);
    store(out, _mm_xor_si128(load(in), stream));
    memset(out + length, 0, BLOCK - length);
    memcpy(to, out, length);
    return load(seals ? in : out);
}

WITH_AES void ys_aes_ccm(const struct ys_aes_keys *keys, bool seals, const uint8_t nonce[13], uint8_t header,
                         const uint8_t *from, size_t length, uint8_t *to, uint8_t mic[4])
{
    const uint8_t under_mic[BLOCK] = {0, 1, header};         /* a length of 1, and zeros up to a block */
    const __m128i one = _mm_set_epi64x(INT64_C(1) << 56, 0); /* in the last byte of a block */
    __m128i rounds[YS_AES_ROUND_KEYS];
#pragma GCC unroll 11
    for (int i = 0; i < YS_AES_ROUND_KEYS; i++)
        rounds[i] = load(keys->bytes[i]);
    __m128i counter = block_of(FLAGS_OF_STREAM, nonce, 0);
    __m128i sum = block_of(FLAGS_OF_MIC, nonce, length);
    __m128i over_mic = counter;
    encrypt_two(rounds, &sum, &over_mic);
    sum = _mm_xor_si128(sum, load(under_mic));
    counter = _mm_add_epi8(counter, one);
    __m128i stream = counter;
    encrypt_two(rounds, &sum, &stream);
    for (; length >= BLOCK; length -= BLOCK, from += BLOCK, to += BLOCK) {
        __m128i read = load(from);
        __m128i written = _mm_xor_si128(read, stream);
        store(to, written);
        sum = _mm_xor_si128(sum, seals ? read : written);
        counter = _mm_add_epi8(counter, one);
        stream = counter;
        encrypt_two(rounds, &sum, &stream);
    }
    if (length > 0) {
        sum = _mm_xor_si128(sum, cross_last(seals, stream, from, length, to));
        encrypt_two(rounds, &sum, &stream);
    }
    uint8_t block[BLOCK];
    store(block, _mm_xor_si128(sum, over_mic));
    memcpy(mic, block, 4);
}
#else
#include <stdlib.h>

/* On machines without these instructions, ys_machine_has_aes() is false, and these functions are not called. */

void ys_aes_expand(const uint8_t key[16], struct ys_aes_keys *keys)
{
    (void)key;
    (void)keys;
    abort();
}

void ys_aes_block(const struct ys_aes_keys *keys, const uint8_t plain[16], uint8_t cipher[16])
{
    (void)keys;
    (void)plain;
    (void)cipher;
    abort();
}

void ys_aes_ccm(const struct ys_aes_keys *keys, bool seals, const uint8_t nonce[13], uint8_t header,
                const uint8_t *from, size_t length, uint8_t *to, uint8_t mic[4])
{
    (void)keys;
    (void)seals;
    (void)nonce;
    (void)header;
    (void)from;
    (void)length;
    (void)to;
    (void)mic;
    abort();
}
#endif
