/* Stands in for the crypto library, see aes.h: a key stream and a sum over everything. */
#ifndef ENDIAN_CCM_H
#define ENDIAN_CCM_H

#include <mbedtls/aes.h>

#define MBEDTLS_CIPHER_ID_AES 2

typedef mbedtls_aes_context mbedtls_ccm_context;

static inline void mbedtls_ccm_init(mbedtls_ccm_context *context)
{
    mbedtls_aes_init(context);
}

static inline void mbedtls_ccm_free(mbedtls_ccm_context *context)
{
    mbedtls_aes_free(context);
}

static inline int mbedtls_ccm_setkey(mbedtls_ccm_context *context, int cipher, const unsigned char *key, unsigned bits)
{
    (void)cipher;
    return mbedtls_aes_setkey_enc(context, key, bits);
}

static inline void mbedtls_ccm_stream(const mbedtls_ccm_context *context, size_t length, const unsigned char *nonce,
                                      const unsigned char *in, unsigned char *out)
{
    unsigned char block[16];
    unsigned char counter[16] = {0};
    memcpy(counter, nonce, 13);
    for (size_t i = 0; i < length; i++) {
        counter[15] = (unsigned char)(1 + i / 16);
        (void)mbedtls_aes_crypt_ecb(context, MBEDTLS_AES_ENCRYPT, counter, block);
        out[i] = (unsigned char)(in[i] ^ block[i % 16]);
    }
}

static inline void mbedtls_ccm_tag(const mbedtls_ccm_context *context, size_t length, const unsigned char *nonce,
                                   const unsigned char *added, const unsigned char *plain, unsigned char *tag,
                                   size_t size)
{
    unsigned char block[16] = {0};
    memcpy(block, nonce, 13);
    block[15] = added[0];
    for (size_t i = 0; i < length; i++) {
        block[i % 16] = (unsigned char)(block[i % 16] ^ plain[i]);
        (void)mbedtls_aes_crypt_ecb(context, MBEDTLS_AES_ENCRYPT, block, block);
    }
    (void)mbedtls_aes_crypt_ecb(context, MBEDTLS_AES_ENCRYPT, block, block);
    memcpy(tag, block, size);
}

static inline int mbedtls_ccm_encrypt_and_tag(mbedtls_ccm_context *context, size_t length, const unsigned char *nonce,
                                              size_t nonce_size, const unsigned char *added, size_t added_size,
                                              const unsigned char *in, unsigned char *out, unsigned char *tag,
                                              size_t size)
{
    (void)nonce_size;
    (void)added_size;
    mbedtls_ccm_tag(context, length, nonce, added, in, tag, size);
    mbedtls_ccm_stream(context, length, nonce, in, out);
    return 0;
}

static inline int mbedtls_ccm_auth_decrypt(mbedtls_ccm_context *context, size_t length, const unsigned char *nonce,
                                           size_t nonce_size, const unsigned char *added, size_t added_size,
                                           const unsigned char *in, unsigned char *out, const unsigned char *tag,
                                           size_t size)
{
    unsigned char expected[16];
    (void)nonce_size;
    (void)added_size;
    mbedtls_ccm_stream(context, length, nonce, in, out);
    mbedtls_ccm_tag(context, length, nonce, added, out, expected, size);
    return memcmp(expected, tag, size) == 0 ? 0 : -1;
}

#endif
