/* AES-CCM as the link layer uses it (Core 5.4 Vol 6 Part E): a session key from both sides' halves, a nonce from a
 * counter for each direction, and a MIC of four bytes. */
#include "sim/link_cipher.h"

#include <stdlib.h>
#include <string.h>

#include "machine/crypto.h"
#include "sim/controller_state.h"

/* The bits of a header that may change when it is sent again: NESN, SN, MD (Vol 6 Part E 2.2). */
#define HEADER_KEPT 0xe3

struct link_cipher {
    struct ys_ccm *ccm;
    uint8_t vector[8];
    uint64_t counters[2]; /* by whether the central sends: packets so far, not counting those sent again */
};

static void reverse(const uint8_t *from, uint8_t *to, size_t length)
{
    for (size_t i = 0; i < length; i++)
        to[i] = from[length - 1 - i];
}

struct link_cipher *link_cipher_new(const uint8_t key[16], const uint8_t diversifier[16], const uint8_t vector[8])
{
    uint8_t long_term[16];
    uint8_t block[16];
    struct link_cipher *cipher = calloc(1, sizeof *cipher);
    if (cipher == NULL)
        return NULL;
    reverse(key, long_term, sizeof long_term);
    reverse(diversifier, block, sizeof block);
    cipher->ccm = ys_crypto_encrypt(long_term, block, block) ? ys_ccm_new(block) : NULL;
    if (cipher->ccm == NULL) {
        free(cipher);
        return NULL;
    }
    memcpy(cipher->vector, vector, sizeof cipher->vector);
    return cipher;
}

void link_cipher_free(struct link_cipher *cipher)
{
    if (cipher == NULL)
        return;
    ys_ccm_free(cipher->ccm);
    free(cipher);
}

/* Vol 6 Part E 2.1: 39 bits of counter, one for the direction, and the initialization vector. */
static void next_nonce(struct link_cipher *cipher, bool by_central, uint8_t nonce[YS_CCM_NONCE_SIZE])
{
    uint64_t counter = cipher->counters[by_central]++;
    for (int i = 0; i < 5; i++)
        nonce[i] = (uint8_t)(counter >> 8 * i);
    nonce[4] = (uint8_t)((nonce[4] & 0x7f) | by_central << 7);
    memcpy(nonce + 5, cipher->vector, sizeof cipher->vector);
}

/* Vol 6 Part E 2, 2.2. */
void link_cipher_seal(struct link_cipher *cipher, bool by_central, uint8_t header, uint8_t *payload, uint8_t length)
{
    uint8_t nonce[YS_CCM_NONCE_SIZE];
    header &= HEADER_KEPT;
    next_nonce(cipher, by_central, nonce);
    (void)ys_ccm_seal(cipher->ccm, nonce, header, payload, length, payload);
}

/* Vol 6 Part E 2. */
bool link_cipher_open(struct link_cipher *cipher, bool by_central, uint8_t header, uint8_t *payload, uint8_t length)
{
    uint8_t nonce[YS_CCM_NONCE_SIZE];
    header &= HEADER_KEPT;
    if (length <= YS_LINK_MIC_SIZE)
        return false;
    next_nonce(cipher, by_central, nonce);
    return ys_ccm_open(cipher->ccm, nonce, header, payload, length, payload);
}
