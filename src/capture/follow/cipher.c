/* Decryption. The crypto library has the opposite byte order of the air. */
#include "capture/follow/cipher.h"

#include <stdlib.h>
#include <string.h>

#include "machine/crypto.h"
#include "wire/link.h"

#define BLOCK        16
#define PASSKEYS     1000000u
#define COUNTER_MASK UINT64_C(0x7fffffffff)

/* The bits of a header under the MIC: all but NESN, SN and MD (Vol 6 Part E 2.2). */
#define HEADER_KEPT 0xe3

struct ys_opener {
    struct ys_ccm *ccm;
    uint8_t vector[8];
    uint64_t next[2]; /* counter of the next packet of each side, the central's first */
};

static void turn(const uint8_t *from, uint8_t *to, size_t length)
{
    for (size_t i = 0; i < length; i++)
        to[i] = from[length - 1 - i];
}

struct ys_opener *ys_opener_new(const uint8_t key[16], const uint8_t diversifier[16], const uint8_t vector[8])
{
    uint8_t long_term[BLOCK];
    uint8_t session[BLOCK];
    struct ys_opener *opener = calloc(1, sizeof *opener);
    if (opener == NULL)
        return NULL;
    turn(key, long_term, BLOCK);
    turn(diversifier, session, BLOCK);
    opener->ccm = ys_crypto_encrypt(long_term, session, session) ? ys_ccm_new(session) : NULL;
    if (opener->ccm == NULL) {
        free(opener);
        return NULL;
    }
    memcpy(opener->vector, vector, sizeof opener->vector);
    return opener;
}

void ys_opener_free(struct ys_opener *opener)
{
    if (opener == NULL)
        return;
    ys_ccm_free(opener->ccm);
    free(opener);
}

static bool open_with(struct ys_opener *opener, uint64_t counter, bool central, uint8_t header, const uint8_t *payload,
                      size_t length, uint8_t *to)
{
    uint8_t nonce[YS_CCM_NONCE_SIZE];
    for (unsigned i = 0; i < 5; i++)
        nonce[i] = (uint8_t)((counter & COUNTER_MASK) >> 8 * i);
    nonce[4] = (uint8_t)(nonce[4] | central << 7);
    memcpy(nonce + 5, opener->vector, sizeof opener->vector);
    return ys_ccm_open(opener->ccm, nonce, header & HEADER_KEPT, payload, length, to);
}

int ys_opener_open(struct ys_opener *opener, enum ys_air_side side, uint8_t header, uint8_t *payload, uint8_t length,
                   unsigned ahead)
{
    uint8_t plain[YS_LINK_PDU_MAX];
    bool central = side == YS_AIR_CENTRAL;
    uint64_t *next = &opener->next[!central];
    if (length <= YS_LINK_MIC_SIZE)
        return -1;
    size_t plain_length = (size_t)length - YS_LINK_MIC_SIZE;
    for (unsigned missing = 0; missing <= ahead; missing++) {
        if (!open_with(opener, *next + missing, central, header, payload, length, plain))
            continue;
        memcpy(payload, plain, plain_length);
        *next += missing + 1;
        return (int)missing;
    }
    return -1;
}

/* pairing of the older kind */

static void xor_block(uint8_t *to, const uint8_t *with)
{
    for (size_t i = 0; i < BLOCK; i++)
        to[i] ^= with[i];
}

/* The two blocks that confirm values are made of, most significant byte first (Vol 3 Part H 2.2.3). */
static void confirm_blocks(const struct ys_old_pairing *pairing, uint8_t first[BLOCK], uint8_t second[BLOCK])
{
    turn(pairing->response, first, 7);
    turn(pairing->request, first + 7, 7);
    first[14] = pairing->responder_type;
    first[15] = pairing->initiator_type;
    memset(second, 0, 4);
    turn(pairing->initiator, second + 4, 6);
    turn(pairing->responder, second + 10, 6);
}

/* Whether this passkey makes the initiator's confirm value; `key` is set to it. */
static bool is_passkey(uint8_t key[BLOCK], uint32_t passkey, const uint8_t mixed[BLOCK], const uint8_t second[BLOCK],
                       const uint8_t wanted[BLOCK])
{
    uint8_t block[BLOCK];
    memset(key, 0, BLOCK);
    for (unsigned i = 0; i < 4; i++)
        key[15 - i] = (uint8_t)(passkey >> 8 * i);
    bool good = ys_crypto_encrypt(key, mixed, block);
    xor_block(block, second);
    return good && ys_crypto_encrypt(key, block, block) && memcmp(block, wanted, BLOCK) == 0;
}

bool ys_old_pairing_key(const struct ys_old_pairing *pairing, uint8_t key_size, uint8_t key[16])
{
    uint8_t mixed[BLOCK];
    uint8_t first[BLOCK];
    uint8_t second[BLOCK];
    uint8_t wanted[BLOCK];
    uint8_t temporary[BLOCK];
    bool found = false;
    turn(pairing->initiator_random, mixed, BLOCK);
    turn(pairing->confirm, wanted, BLOCK);
    confirm_blocks(pairing, first, second);
    xor_block(mixed, first);
    for (uint32_t passkey = 0; passkey < PASSKEYS && !found; passkey++)
        found = is_passkey(temporary, passkey, mixed, second, wanted);
    if (found) { /* Vol 3 Part H 2.2.4: of both random values the lower halves; `temporary` is made of the passkey */
        uint8_t block[BLOCK];
        turn(pairing->responder_random, block, 8);
        turn(pairing->initiator_random, block + 8, 8);
        found = ys_crypto_encrypt(temporary, block, block);
        turn(block, key, BLOCK);
        memset(key + key_size, 0, BLOCK - (size_t)key_size);
    }
    return found;
}

/* pairing of the newer kind */

bool ys_key_is_on_curve(const uint8_t key[64])
{
    uint8_t turned[64];
    turn(key, turned, 32);
    turn(key + 32, turned + 32, 32);
    return ys_crypto_is_on_curve(turned);
}

bool ys_confirm_value(const uint8_t own_x[32], const uint8_t other_x[32], const uint8_t random[16], uint8_t z,
                      uint8_t confirm[16])
{
    uint8_t message[65];
    uint8_t key[BLOCK];
    uint8_t mac[BLOCK];
    turn(own_x, message, 32);
    turn(other_x, message + 32, 32);
    message[64] = z;
    turn(random, key, BLOCK);
    bool good = ys_crypto_cmac(key, message, sizeof message, mac);
    turn(mac, confirm, BLOCK);
    return good;
}
