/* AES-CCM as the link layer uses it (Core 5.4 Vol 6 Part E). */
#ifndef SIM_LINK_CIPHER_H
#define SIM_LINK_CIPHER_H

#include "sim/link_state.h"

/* From a long-term key, and diversifier and vector of the session, all in air order. NULL if there is no memory. */
struct link_cipher *link_cipher_new(const uint8_t key[16], const uint8_t diversifier[16], const uint8_t vector[8]);
void link_cipher_free(struct link_cipher *cipher);
/* `header` is the first byte of the PDU; the payload gets its MIC, and grows by 4 bytes. */
void link_cipher_seal(struct link_cipher *cipher, bool by_central, uint8_t header, uint8_t *payload, uint8_t length);
/* `length` with the MIC; false if that is wrong. */
bool link_cipher_open(struct link_cipher *cipher, bool by_central, uint8_t header, uint8_t *payload, uint8_t length);

#endif
