/* AES-128 encryption (FIPS 197), small and in constant time: no table, branch or address depends on the key or the
 * data. About a kilobyte of code, no memory but the stack. */
#ifndef PORTS_PARTS_AES_H
#define PORTS_PARTS_AES_H

#include <stdint.h>

/* All three have 16 bytes, as the standards print them; `plain` and `cipher` may be the same. From any context. */
void ys_aes_encrypt(const uint8_t key[16], const uint8_t plain[16], uint8_t cipher[16]);

#endif
