/* AES-128 by instructions; its plain twin is the library's. Only where ys_machine_has_aes(). */
#ifndef MACHINE_AES_INSTRUCTIONS_H
#define MACHINE_AES_INSTRUCTIONS_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#define YS_AES_ROUND_KEYS 11

struct ys_aes_keys {
    uint8_t bytes[YS_AES_ROUND_KEYS][16];
};

void ys_aes_expand(const uint8_t key[16], struct ys_aes_keys *keys);
void ys_aes_block(const struct ys_aes_keys *keys, const uint8_t plain[16], uint8_t cipher[16]);

/* CCM in one pass: block by block, the key stream of the next beside the MIC of this one. `length` is without the MIC,
 * which is written, whichever way it goes; at most 255 blocks. */
void ys_aes_ccm(const struct ys_aes_keys *keys, bool seals, const uint8_t nonce[13], uint8_t header,
                const uint8_t *from, size_t length, uint8_t *to, uint8_t mic[4]);

#endif
