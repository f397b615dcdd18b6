/* By libcrypto, which alone is known here, or for AES by instructions. */
#include "machine/crypto.h"

#include <stdlib.h>
#include <string.h>

#include <openssl/ec.h>
#include <openssl/evp.h>
#include <openssl/obj_mac.h>

#include "machine/aes_instructions.h"
#include "machine/instructions.h"

#define DRAWS_MOST   30
#define UNCOMPRESSED 0x04 /* before the two coordinates of a point (SEC 1 2.3.3) */
#define BLOCK        16

/* AES */

static bool encrypt_by_library(const uint8_t key[16], const uint8_t plain[16], uint8_t cipher[16])
{
    int length = 0;
    EVP_CIPHER_CTX *context = EVP_CIPHER_CTX_new();
    bool good = context != NULL && EVP_EncryptInit_ex(context, EVP_aes_128_ecb(), NULL, key, NULL) == 1 &&
                EVP_CIPHER_CTX_set_padding(context, 0) == 1 &&
                EVP_EncryptUpdate(context, cipher, &length, plain, BLOCK) == 1 && length == BLOCK;
    EVP_CIPHER_CTX_free(context);
    return good;
}

bool ys_crypto_encrypt(const uint8_t key[16], const uint8_t plain[16], uint8_t cipher[16])
{
    struct ys_aes_keys keys;
    if (!ys_machine_has_aes())
        return encrypt_by_library(key, plain, cipher);
    ys_aes_expand(key, &keys);
    ys_aes_block(&keys, plain, cipher);
    return true;
}

bool ys_crypto_cmac(const uint8_t key[16], const uint8_t *message, size_t length, uint8_t mac[16])
{
    size_t written = 0;
    EVP_MAC *kind = EVP_MAC_fetch(NULL, "CMAC", NULL);
    EVP_MAC_CTX *context = kind != NULL ? EVP_MAC_CTX_new(kind) : NULL;
    char name[] = "AES-128-CBC";
    const OSSL_PARAM parameters[] = {OSSL_PARAM_construct_utf8_string("cipher", name, 0), OSSL_PARAM_construct_end()};
    bool good = context != NULL && EVP_MAC_init(context, key, BLOCK, parameters) == 1 &&
                EVP_MAC_update(context, message, length) == 1 && EVP_MAC_final(context, mac, &written, BLOCK) == 1 &&
                written == BLOCK;
    EVP_MAC_CTX_free(context);
    EVP_MAC_free(kind);
    return good;
}

struct ys_ccm {
    bool by_instructions;
    struct ys_aes_keys keys;
    EVP_CIPHER_CTX *contexts[2]; /* of the library: to open, to seal */
};

static EVP_CIPHER_CTX *new_context(const uint8_t key[16], bool seals)
{
    EVP_CIPHER_CTX *context = EVP_CIPHER_CTX_new();
    if (context != NULL && EVP_CipherInit_ex(context, EVP_aes_128_ccm(), NULL, NULL, NULL, seals) == 1 &&
        EVP_CIPHER_CTX_ctrl(context, EVP_CTRL_AEAD_SET_IVLEN, YS_CCM_NONCE_SIZE, NULL) == 1 &&
        EVP_CIPHER_CTX_ctrl(context, EVP_CTRL_AEAD_SET_TAG, YS_CCM_MIC_SIZE, NULL) == 1 &&
        EVP_CipherInit_ex(context, NULL, NULL, key, NULL, seals) == 1)
        return context;
    EVP_CIPHER_CTX_free(context);
    return NULL;
}

struct ys_ccm *ys_ccm_new(const uint8_t key[16])
{
    struct ys_ccm *ccm = calloc(1, sizeof *ccm);
    if (ccm == NULL)
        return NULL;
    ccm->by_instructions = ys_machine_has_aes();
    if (ccm->by_instructions) {
        ys_aes_expand(key, &ccm->keys);
        return ccm;
    }
    for (int seals = 0; seals < 2; seals++) {
        ccm->contexts[seals] = new_context(key, seals != 0);
        if (ccm->contexts[seals] == NULL) {
            ys_ccm_free(ccm);
            return NULL;
        }
    }
    return ccm;
}

void ys_ccm_free(struct ys_ccm *ccm)
{
    if (ccm == NULL)
        return;
    EVP_CIPHER_CTX_free(ccm->contexts[0]);
    EVP_CIPHER_CTX_free(ccm->contexts[1]);
    free(ccm);
}

/* `length` is without the MIC, which is written if it seals, and else compared. */
static bool ccm_by_library(EVP_CIPHER_CTX *context, bool seals, const uint8_t *nonce, uint8_t header,
                           const uint8_t *from, int length, uint8_t *to, uint8_t *mic)
{
    int written = 0;
    if (!seals && EVP_CIPHER_CTX_ctrl(context, EVP_CTRL_AEAD_SET_TAG, YS_CCM_MIC_SIZE, mic) != 1)
        return false;
    return EVP_CipherInit_ex(context, NULL, NULL, NULL, nonce, seals) == 1 &&
           EVP_CipherUpdate(context, NULL, &written, NULL, length) == 1 &&
           EVP_CipherUpdate(context, NULL, &written, &header, 1) == 1 &&
           EVP_CipherUpdate(context, to, &written, from, length) == 1 && written == length &&
           (!seals || EVP_CIPHER_CTX_ctrl(context, EVP_CTRL_AEAD_GET_TAG, YS_CCM_MIC_SIZE, mic) == 1);
}

bool ys_ccm_seal(struct ys_ccm *ccm, const uint8_t nonce[YS_CCM_NONCE_SIZE], uint8_t header, const uint8_t *from,
                 size_t length, uint8_t *to)
{
    if (!ccm->by_instructions)
        return ccm_by_library(ccm->contexts[1], true, nonce, header, from, (int)length, to, to + length);
    ys_aes_ccm(&ccm->keys, true, nonce, header, from, length, to, to + length);
    return true;
}

bool ys_ccm_open(struct ys_ccm *ccm, const uint8_t nonce[YS_CCM_NONCE_SIZE], uint8_t header, const uint8_t *from,
                 size_t length, uint8_t *to)
{
    uint8_t mic[YS_CCM_MIC_SIZE];
    size_t plain = length - YS_CCM_MIC_SIZE;
    memcpy(mic, from + plain, sizeof mic);
    if (!ccm->by_instructions)
        return ccm_by_library(ccm->contexts[0], false, nonce, header, from, (int)plain, to, mic);
    uint8_t wanted[YS_CCM_MIC_SIZE];
    ys_aes_ccm(&ccm->keys, false, nonce, header, from, plain, to, wanted);
    return memcmp(mic, wanted, sizeof mic) == 0;
}

/* P-256 */

static EC_GROUP *curve(void)
{
    return EC_GROUP_new_by_curve_name(NID_X9_62_prime256v1);
}

/* A private key is any number below the order of the curve but 0 (FIPS 186-4 B.4.2). Chance hardly ever gives another,
 * and never so often. */
static bool draw_key(const EC_GROUP *group, ys_random_fn *random, void *context, BIGNUM *key, uint8_t bytes[32])
{
    for (int tries = 0; tries < DRAWS_MOST; tries++) {
        if (!random(context, bytes, 32) || BN_bin2bn(bytes, 32, key) == NULL)
            return false;
        if (!BN_is_zero(key) && BN_cmp(key, EC_GROUP_get0_order(group)) < 0)
            return true;
    }
    return false;
}

/* How much a library draws to blind what it computes, and when, is its own affair, and the same seed must give the same
 * bytes with each: so much is drawn for it here, whether it takes it or not. */
static bool draw_for_blinding(ys_random_fn *random, void *context)
{
    uint8_t bytes[8];
    return random(context, bytes, sizeof bytes);
}

bool ys_crypto_key(ys_random_fn *random, void *context, uint8_t private_key[32], uint8_t public_key[64])
{
    uint8_t bytes[65];
    EC_GROUP *group = curve();
    EC_POINT *point = group != NULL ? EC_POINT_new(group) : NULL;
    BIGNUM *own = BN_new();
    bool good =
        point != NULL && own != NULL && draw_key(group, random, context, own, private_key) &&
        draw_for_blinding(random, context) && EC_POINT_mul(group, point, own, NULL, NULL, NULL) == 1 &&
        EC_POINT_point2oct(group, point, POINT_CONVERSION_UNCOMPRESSED, bytes, sizeof bytes, NULL) == sizeof bytes;
    if (good)
        memcpy(public_key, bytes + 1, 64);
    BN_free(own);
    EC_POINT_free(point);
    EC_GROUP_free(group);
    return good;
}

/* The library itself refuses what is no point of the curve. */
static EC_POINT *read_point(const EC_GROUP *group, const uint8_t public_key[64])
{
    uint8_t bytes[65] = {UNCOMPRESSED};
    EC_POINT *point = EC_POINT_new(group);
    memcpy(bytes + 1, public_key, 64);
    if (point != NULL && EC_POINT_oct2point(group, point, bytes, sizeof bytes, NULL) == 1)
        return point;
    EC_POINT_free(point);
    return NULL;
}

bool ys_crypto_secret(ys_random_fn *random, void *context, const uint8_t private_key[32], const uint8_t public_key[64],
                      uint8_t secret[32])
{
    EC_GROUP *group = curve();
    EC_POINT *point = group != NULL ? read_point(group, public_key) : NULL;
    BIGNUM *own = BN_bin2bn(private_key, 32, NULL);
    BIGNUM *shared = BN_new();
    bool good = point != NULL && own != NULL && shared != NULL && draw_for_blinding(random, context) &&
                EC_POINT_mul(group, point, NULL, point, own, NULL) == 1 &&
                EC_POINT_get_affine_coordinates(group, point, shared, NULL, NULL) == 1 &&
                BN_bn2binpad(shared, secret, 32) == 32;
    BN_free(shared);
    BN_free(own);
    EC_POINT_free(point);
    EC_GROUP_free(group);
    return good;
}

bool ys_crypto_is_on_curve(const uint8_t public_key[64])
{
    EC_GROUP *group = curve();
    EC_POINT *point = group != NULL ? read_point(group, public_key) : NULL;
    bool good = point != NULL;
    EC_POINT_free(point);
    EC_GROUP_free(group);
    return good;
}
