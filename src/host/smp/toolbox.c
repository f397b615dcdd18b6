/* The functions by which keys are made and compared. */
#include "host/smp/toolbox.h"

#include <string.h>

#include <yarnswift/bytes.h>

#define BLOCK       16
#define MESSAGE_MAX 80 /* of g2, the longest */

static void add(uint8_t *to, const uint8_t *bytes, size_t length)
{
    for (size_t i = 0; i < length; i++)
        to[i] ^= bytes[i];
}

/* RFC 4493 2.3: doubled in GF(2^128). */
static void double_block(uint8_t block[BLOCK])
{
    bool carry = (block[0] & 0x80) != 0;
    for (size_t i = 0; i < BLOCK; i++)
        block[i] = (uint8_t)(block[i] << 1 | (i + 1 < BLOCK ? block[i + 1] >> 7 : 0));
    if (carry)
        block[BLOCK - 1] ^= 0x87;
}

/* Vol 3 Part H 2.2.5. */
bool ys_toolbox_cmac(const struct ys_cipher *cipher, const uint8_t key[16], const uint8_t *message, size_t length,
                     uint8_t mac[16])
{
    uint8_t subkey[BLOCK] = {0};
    uint8_t state[BLOCK] = {0};
    if (!cipher->encrypt(cipher->context, key, subkey, subkey))
        return false;
    double_block(subkey);
    for (; length > BLOCK; length -= BLOCK, message += BLOCK) {
        add(state, message, BLOCK);
        if (!cipher->encrypt(cipher->context, key, state, state))
            return false;
    }
    if (length < BLOCK) { /* the last block is filled up */
        double_block(subkey);
        state[length] ^= 0x80;
    }
    add(state, message, length);
    add(state, subkey, BLOCK);
    return cipher->encrypt(cipher->context, key, state, mac);
}

/* Vol 3 Part H 2.2.1. */
static bool cmac_of(const struct ys_cipher *cipher, const uint8_t key[16], const struct ys_writer *message,
                    uint8_t mac[16])
{
    return ys_writer_ok(message) && ys_toolbox_cmac(cipher, key, message->start, ys_writer_stored(message), mac);
}

/* Vol 3 Part H 2.2.2. */
bool ys_toolbox_ah(const struct ys_cipher *cipher, const uint8_t irk[16], const uint8_t prand[3], uint8_t hash[3])
{
    uint8_t block[BLOCK] = {0};
    memcpy(block + BLOCK - 3, prand, 3);
    bool good = cipher->encrypt(cipher->context, irk, block, block);
    memcpy(hash, block + BLOCK - 3, 3);
    return good;
}

/* Vol 3 Part H 2.2.3, 2.2.4. */
bool ys_toolbox_c1(const struct ys_cipher *cipher, const uint8_t key[16], const uint8_t random[16],
                   const uint8_t request[7], const uint8_t response[7], uint8_t initiator_type,
                   const uint8_t initiator[6], uint8_t responder_type, const uint8_t responder[6], uint8_t confirm[16])
{
    uint8_t p1[BLOCK];
    uint8_t p2[BLOCK] = {0};
    struct ys_writer first = ys_writer_to(p1, sizeof p1);
    struct ys_writer second = ys_writer_to(p2 + 4, sizeof p2 - 4);
    ys_put_bytes(&first, response, 7);
    ys_put_bytes(&first, request, 7);
    ys_put_u8(&first, responder_type);
    ys_put_u8(&first, initiator_type);
    ys_put_bytes(&second, initiator, 6);
    ys_put_bytes(&second, responder, 6);
    add(p1, random, BLOCK);
    bool good = cipher->encrypt(cipher->context, key, p1, p1);
    add(p1, p2, BLOCK);
    return good && cipher->encrypt(cipher->context, key, p1, confirm);
}

/* Vol 3 Part H 2.2.3, 2.2.4. */
bool ys_toolbox_s1(const struct ys_cipher *cipher, const uint8_t key[16], const uint8_t responder[16],
                   const uint8_t initiator[16], uint8_t stk[16])
{
    uint8_t block[BLOCK];
    memcpy(block, responder + 8, 8);
    memcpy(block + 8, initiator + 8, 8);
    return cipher->encrypt(cipher->context, key, block, stk);
}

/* Vol 3 Part H 2.2.6 to 2.2.9. */
bool ys_toolbox_f4(const struct ys_cipher *cipher, const uint8_t u[32], const uint8_t v[32], const uint8_t x[16],
                   uint8_t z, uint8_t confirm[16])
{
    uint8_t message[MESSAGE_MAX];
    struct ys_writer writer = ys_writer_to(message, sizeof message);
    ys_put_bytes(&writer, u, 32);
    ys_put_bytes(&writer, v, 32);
    ys_put_u8(&writer, z);
    return cmac_of(cipher, x, &writer, confirm);
}

/* One of the two keys that f5 gives. */
static bool derive(const struct ys_cipher *cipher, const uint8_t key[16], uint8_t counter, const uint8_t n1[16],
                   const uint8_t n2[16], const uint8_t a1[YS_TOOLBOX_ADDRESS], const uint8_t a2[YS_TOOLBOX_ADDRESS],
                   uint8_t derived[16])
{
    static const uint8_t id[] = {0x62, 0x74, 0x6c, 0x65};
    static const uint8_t length[] = {0x01, 0x00}; /* 256 bits in all */
    uint8_t message[MESSAGE_MAX];
    struct ys_writer writer = ys_writer_to(message, sizeof message);
    ys_put_u8(&writer, counter);
    ys_put_bytes(&writer, id, sizeof id);
    ys_put_bytes(&writer, n1, 16);
    ys_put_bytes(&writer, n2, 16);
    ys_put_bytes(&writer, a1, YS_TOOLBOX_ADDRESS);
    ys_put_bytes(&writer, a2, YS_TOOLBOX_ADDRESS);
    ys_put_bytes(&writer, length, sizeof length);
    return cmac_of(cipher, key, &writer, derived);
}

/* Vol 3 Part H 2.2.6 to 2.2.9. */
bool ys_toolbox_f5(const struct ys_cipher *cipher, const uint8_t secret[32], const uint8_t n1[16], const uint8_t n2[16],
                   const uint8_t a1[YS_TOOLBOX_ADDRESS], const uint8_t a2[YS_TOOLBOX_ADDRESS], uint8_t mac_key[16],
                   uint8_t ltk[16])
{
    static const uint8_t salt[16] = {0x6c, 0x88, 0x83, 0x91, 0xaa, 0xf5, 0xa5, 0x38,
                                     0x60, 0x37, 0x0b, 0xdb, 0x5a, 0x60, 0x83, 0xbe};
    uint8_t key[16];
    return ys_toolbox_cmac(cipher, salt, secret, 32, key) && derive(cipher, key, 0, n1, n2, a1, a2, mac_key) &&
           derive(cipher, key, 1, n1, n2, a1, a2, ltk);
}

/* Vol 3 Part H 2.2.6 to 2.2.9. */
bool ys_toolbox_f6(const struct ys_cipher *cipher, const uint8_t mac_key[16], const uint8_t n1[16],
                   const uint8_t n2[16], const uint8_t r[16], const uint8_t capabilities[3],
                   const uint8_t a1[YS_TOOLBOX_ADDRESS], const uint8_t a2[YS_TOOLBOX_ADDRESS], uint8_t check[16])
{
    uint8_t message[MESSAGE_MAX];
    struct ys_writer writer = ys_writer_to(message, sizeof message);
    ys_put_bytes(&writer, n1, 16);
    ys_put_bytes(&writer, n2, 16);
    ys_put_bytes(&writer, r, 16);
    ys_put_bytes(&writer, capabilities, 3);
    ys_put_bytes(&writer, a1, YS_TOOLBOX_ADDRESS);
    ys_put_bytes(&writer, a2, YS_TOOLBOX_ADDRESS);
    return cmac_of(cipher, mac_key, &writer, check);
}

/* Vol 3 Part H 2.2.6 to 2.2.9. */
bool ys_toolbox_g2(const struct ys_cipher *cipher, const uint8_t u[32], const uint8_t v[32], const uint8_t x[16],
                   const uint8_t y[16], uint32_t *number)
{
    uint8_t message[MESSAGE_MAX];
    uint8_t mac[16];
    struct ys_writer writer = ys_writer_to(message, sizeof message);
    ys_put_bytes(&writer, u, 32);
    ys_put_bytes(&writer, v, 32);
    ys_put_bytes(&writer, y, 16);
    if (!cmac_of(cipher, x, &writer, mac))
        return false;
    *number = ((uint32_t)mac[12] << 24 | (uint32_t)mac[13] << 16 | (uint32_t)mac[14] << 8 | mac[15]) % 1000000u;
    return true;
}

bool ys_toolbox_is_equal(const uint8_t *one, const uint8_t *other, size_t length)
{
    uint8_t difference = 0;
    for (size_t i = 0; i < length; i++)
        difference = (uint8_t)(difference | (one[i] ^ other[i]));
    return difference == 0;
}
