/* The functions by which keys are made and compared (Core 5.4 Vol 3 Part H 2.2), over any AES-128. All values stand as
 * the standard prints them, the most significant byte first. */
#ifndef HOST_SMP_TOOLBOX_H
#define HOST_SMP_TOOLBOX_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

/* AES-128 in one direction (FIPS 197): of the port, or of the controller. False if it fails. */
struct ys_cipher {
    void *context;
    bool (*encrypt)(void *context, const uint8_t key[16], const uint8_t plain[16], uint8_t cipher[16]);
};

/* An address with its type in front (1: random), as f5 and f6 take it: 7 bytes. */
#define YS_TOOLBOX_ADDRESS 7

/* Each returns false if the cipher failed; what it gives is then undefined. */

/* AES-CMAC (RFC 4493) of `length` bytes, at most 80. */
bool ys_toolbox_cmac(const struct ys_cipher *cipher, const uint8_t key[16], const uint8_t *message, size_t length,
                     uint8_t mac[16]);

/* Vol 3 Part H 2.2.2: the hash of a resolvable address from its random part. */
bool ys_toolbox_ah(const struct ys_cipher *cipher, const uint8_t irk[16], const uint8_t prand[3], uint8_t hash[3]);

/* Vol 3 Part H 2.2.3: the confirm value of legacy pairing. Requests as PDUs of 7 bytes; types of addresses 0 or 1. */
bool ys_toolbox_c1(const struct ys_cipher *cipher, const uint8_t key[16], const uint8_t random[16],
                   const uint8_t request[7], const uint8_t response[7], uint8_t initiator_type,
                   const uint8_t initiator[6], uint8_t responder_type, const uint8_t responder[6], uint8_t confirm[16]);

/* Vol 3 Part H 2.2.4: the short-term key of legacy pairing, from the random numbers of responder and initiator. */
bool ys_toolbox_s1(const struct ys_cipher *cipher, const uint8_t key[16], const uint8_t responder[16],
                   const uint8_t initiator[16], uint8_t stk[16]);

/* Vol 3 Part H 2.2.6: the confirm value of LE Secure Connections, of the X parts of two public keys. */
bool ys_toolbox_f4(const struct ys_cipher *cipher, const uint8_t u[32], const uint8_t v[32], const uint8_t x[16],
                   uint8_t z, uint8_t confirm[16]);

/* Vol 3 Part H 2.2.7: the keys of LE Secure Connections, of the shared secret. */
bool ys_toolbox_f5(const struct ys_cipher *cipher, const uint8_t secret[32], const uint8_t n1[16], const uint8_t n2[16],
                   const uint8_t a1[YS_TOOLBOX_ADDRESS], const uint8_t a2[YS_TOOLBOX_ADDRESS], uint8_t mac_key[16],
                   uint8_t ltk[16]);

/* Vol 3 Part H 2.2.8: the check value of LE Secure Connections; `capabilities` is AuthReq, OOB flag, IO capability. */
bool ys_toolbox_f6(const struct ys_cipher *cipher, const uint8_t mac_key[16], const uint8_t n1[16],
                   const uint8_t n2[16], const uint8_t r[16], const uint8_t capabilities[3],
                   const uint8_t a1[YS_TOOLBOX_ADDRESS], const uint8_t a2[YS_TOOLBOX_ADDRESS], uint8_t check[16]);

/* Vol 3 Part H 2.2.9: the number that people compare, 0 to 999,999. */
bool ys_toolbox_g2(const struct ys_cipher *cipher, const uint8_t u[32], const uint8_t v[32], const uint8_t x[16],
                   const uint8_t y[16], uint32_t *number);

/* Whether two values are equal, in a time that does not depend on where they differ. */
bool ys_toolbox_is_equal(const uint8_t *one, const uint8_t *other, size_t length);

#endif
