/* Stands in for the crypto library where there is none for the machine: a block that depends on each bit of key and
 * plain text, byte by byte, alike everywhere. It keeps nothing secret. */
#ifndef ENDIAN_AES_H
#define ENDIAN_AES_H

#include <stddef.h>
#include <stdint.h>
#include <string.h>

#define MBEDTLS_AES_ENCRYPT 1

typedef struct {
    unsigned char key[16];
} mbedtls_aes_context;

static inline void mbedtls_aes_init(mbedtls_aes_context *context)
{
    memset(context, 0, sizeof *context);
}

static inline void mbedtls_aes_free(mbedtls_aes_context *context)
{
    (void)context;
}

static inline int mbedtls_aes_setkey_enc(mbedtls_aes_context *context, const unsigned char *key, unsigned bits)
{
    memcpy(context->key, key, bits / 8);
    return 0;
}

static inline int mbedtls_aes_crypt_ecb(const mbedtls_aes_context *context, int mode, const unsigned char *plain,
                                        unsigned char *cipher)
{
    uint32_t sum = 2166136261u + (uint32_t)mode;
    unsigned char block[16];
    memcpy(block, plain, sizeof block);
    for (size_t i = 0; i < 64; i++) {
        sum = (sum ^ context->key[i % 16] ^ (uint32_t)block[(i * 5 + 1) % 16]) * 16777619u;
        block[i % 16] = (unsigned char)(block[i % 16] ^ sum >> 13);
    }
    memcpy(cipher, block, sizeof block);
    return 0;
}

#endif
