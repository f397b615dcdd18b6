/* Cryptography on workstations: AES-128 and functions made of it, and P-256. Most significant byte first, as in the
 * standards that define them; the air has the opposite order. */
#ifndef MACHINE_CRYPTO_H
#define MACHINE_CRYPTO_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

/* Fills bytes with random numbers; false if there are none. */
typedef bool ys_random_fn(void *context, void *bytes, size_t length);

/* AES-128 in one direction; false if it failed. */
bool ys_crypto_encrypt(const uint8_t key[16], const uint8_t plain[16], uint8_t cipher[16]);

/* AES-CMAC (RFC 4493); false if it failed. */
bool ys_crypto_cmac(const uint8_t key[16], const uint8_t *message, size_t length, uint8_t mac[16]);

/* AES-CCM with a key. */
struct ys_ccm;

/* NULL if there is no memory. */
struct ys_ccm *ys_ccm_new(const uint8_t key[16]);
void ys_ccm_free(struct ys_ccm *ccm);

#define YS_CCM_NONCE_SIZE 13
#define YS_CCM_MIC_SIZE   4

/* AES-CCM of the link layer (Core 5.4 Vol 6 Part E 2; RFC 3610 with L = 2, M = 4): one byte that is not encrypted is
 * under the MIC, too. `to` may be `from`, and gets four bytes more. False if it failed. */
bool ys_ccm_seal(struct ys_ccm *ccm, const uint8_t nonce[YS_CCM_NONCE_SIZE], uint8_t header, const uint8_t *from,
                 size_t length, uint8_t *to);

/* The other way; `length` has the MIC in it, at least four. False if the MIC is wrong; then `to` has nothing to be
 * used. */
bool ys_ccm_open(struct ys_ccm *ccm, const uint8_t nonce[YS_CCM_NONCE_SIZE], uint8_t header, const uint8_t *from,
                 size_t length, uint8_t *to);

/* Draws a private key of P-256 and computes its public one, x and y. False if it failed. */
bool ys_crypto_key(ys_random_fn *random, void *context, uint8_t private_key[32], uint8_t public_key[64]);

/* The shared secret of a private and a public key; false if that is no point of the curve. */
bool ys_crypto_secret(ys_random_fn *random, void *context, const uint8_t private_key[32], const uint8_t public_key[64],
                      uint8_t secret[32]);

/* Whether a public key is a point of the curve. */
bool ys_crypto_is_on_curve(const uint8_t public_key[64]);

#endif
