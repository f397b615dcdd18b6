/* The crypto of workstations, for ports and simulated controllers: AES-128 and P-256 by a library. */
#ifndef SIM_CRYPTO_H
#define SIM_CRYPTO_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

/* Fills bytes with random numbers; false if there are none. */
typedef bool ys_random_fn(void *context, void *bytes, size_t length);

/* AES-128 in one direction; false if it failed. */
bool ys_crypto_encrypt(const uint8_t key[16], const uint8_t plain[16], uint8_t cipher[16]);

/* Draws a key pair; coordinates most significant byte first. False if it failed. */
bool ys_crypto_key(ys_random_fn *random, void *context, uint8_t private_key[32], uint8_t public_key[64]);

/* The shared secret of a private and a public key; false if that is no point of the curve. */
bool ys_crypto_secret(ys_random_fn *random, void *context, const uint8_t private_key[32], const uint8_t public_key[64],
                      uint8_t secret[32]);

#endif
