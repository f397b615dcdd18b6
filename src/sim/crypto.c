/* AES-128 and P-256. */
#include "sim/crypto.h"

#include <string.h>

#include <mbedtls/aes.h>
#include <mbedtls/ecdh.h>
#include <mbedtls/ecp.h>

#define DRAWS_MOST   30
#define UNCOMPRESSED 0x04 /* before the two coordinates of a point (SEC 1 2.3.3) */

bool ys_crypto_encrypt(const uint8_t key[16], const uint8_t plain[16], uint8_t cipher[16])
{
    mbedtls_aes_context aes;
    mbedtls_aes_init(&aes);
    bool good = mbedtls_aes_setkey_enc(&aes, key, 128) == 0 &&
                mbedtls_aes_crypt_ecb(&aes, MBEDTLS_AES_ENCRYPT, plain, cipher) == 0;
    mbedtls_aes_free(&aes);
    return good;
}

/* How much the library draws, and when, is another from version to version, and the same seed must give the same bytes:
 * it blinds its computations with what it draws from here, which is in no result, and keys are drawn by us. */
struct blinding {
    uint64_t state; /* never 0 */
};

static int blind(void *context, unsigned char *bytes, size_t length)
{
    struct blinding *blinding = context;
    for (size_t i = 0; i < length; i++) {
        blinding->state ^= blinding->state << 13;
        blinding->state ^= blinding->state >> 7;
        blinding->state ^= blinding->state << 17;
        bytes[i] = (unsigned char)(blinding->state >> 32);
    }
    return 0;
}

static bool begin_blinding(struct blinding *blinding, ys_random_fn *random, void *context)
{
    bool good = random(context, &blinding->state, sizeof blinding->state);
    blinding->state |= 1;
    return good;
}

/* A private key is any number below the order of the curve but 0 (FIPS 186-4 B.4.2). Chance hardly ever gives another,
 * and never so often. */
static bool draw_key(const mbedtls_ecp_group *group, ys_random_fn *random, void *context, mbedtls_mpi *key,
                     uint8_t bytes[32])
{
    for (int tries = 0; tries < DRAWS_MOST; tries++) {
        if (!random(context, bytes, 32) || mbedtls_mpi_read_binary(key, bytes, 32) != 0)
            return false;
        if (mbedtls_ecp_check_privkey(group, key) == 0)
            return true;
    }
    return false;
}

bool ys_crypto_key(ys_random_fn *random, void *context, uint8_t private_key[32], uint8_t public_key[64])
{
    struct blinding blinding;
    unsigned char bytes[65];
    size_t length = 0;
    mbedtls_ecp_group group;
    mbedtls_ecp_point point;
    mbedtls_mpi own;
    mbedtls_ecp_group_init(&group);
    mbedtls_ecp_point_init(&point);
    mbedtls_mpi_init(&own);
    bool good = mbedtls_ecp_group_load(&group, MBEDTLS_ECP_DP_SECP256R1) == 0 &&
                draw_key(&group, random, context, &own, private_key) && begin_blinding(&blinding, random, context) &&
                mbedtls_ecp_mul(&group, &point, &own, &group.G, blind, &blinding) == 0 &&
                mbedtls_ecp_point_write_binary(&group, &point, MBEDTLS_ECP_PF_UNCOMPRESSED, &length, bytes,
                                               sizeof bytes) == 0 &&
                length == sizeof bytes;
    if (good)
        memcpy(public_key, bytes + 1, 64);
    mbedtls_ecp_group_free(&group);
    mbedtls_ecp_point_free(&point);
    mbedtls_mpi_free(&own);
    return good;
}

bool ys_crypto_secret(ys_random_fn *random, void *context, const uint8_t private_key[32], const uint8_t public_key[64],
                      uint8_t secret[32])
{
    struct blinding blinding;
    unsigned char bytes[65] = {UNCOMPRESSED};
    mbedtls_ecp_group group;
    mbedtls_ecp_point point;
    mbedtls_mpi own;
    mbedtls_mpi shared;
    memcpy(bytes + 1, public_key, 64);
    mbedtls_ecp_group_init(&group);
    mbedtls_ecp_point_init(&point);
    mbedtls_mpi_init(&own);
    mbedtls_mpi_init(&shared);
    bool good = mbedtls_ecp_group_load(&group, MBEDTLS_ECP_DP_SECP256R1) == 0 &&
                mbedtls_ecp_point_read_binary(&group, &point, bytes, sizeof bytes) == 0 &&
                mbedtls_ecp_check_pubkey(&group, &point) == 0 && mbedtls_mpi_read_binary(&own, private_key, 32) == 0 &&
                begin_blinding(&blinding, random, context) &&
                mbedtls_ecdh_compute_shared(&group, &shared, &point, &own, blind, &blinding) == 0 &&
                mbedtls_mpi_write_binary(&shared, secret, 32) == 0;
    mbedtls_ecp_group_free(&group);
    mbedtls_ecp_point_free(&point);
    mbedtls_mpi_free(&own);
    mbedtls_mpi_free(&shared);
    return good;
}
