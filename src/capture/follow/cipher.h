/* Reading what was encrypted: session keys, packets of the link layer (Core 5.4 Vol 6 Part E), the two functions of the
 * older pairing by which its keys can be found (Vol 3 Part H 2.2.3, 2.2.4), and what of the newer one can be checked.
 */
#ifndef CAPTURE_CIPHER_H
#define CAPTURE_CIPHER_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "capture/record.h"

struct ys_opener;

/* With a key in air order, both halves of the session key diversifier, and of the initialization vector, the central's
 * first. NULL if there is no memory. */
struct ys_opener *ys_opener_new(const uint8_t key[16], const uint8_t diversifier[16], const uint8_t vector[8]);
void ys_opener_free(struct ys_opener *opener);

/* Opens a payload with its MIC, in place. Where packets are missing, its counter may be up to `ahead` further; how many
 * were missing is returned, or -1 if it cannot be opened, and then it is as it was. */
int ys_opener_open(struct ys_opener *opener, enum ys_air_side side, uint8_t header, uint8_t *payload, uint8_t length,
                   unsigned ahead);

/* All of one pairing of the older kind that its confirm values are made of. In air order. */
struct ys_old_pairing {
    uint8_t request[7];
    uint8_t response[7];
    uint8_t initiator_type; /* of their addresses */
    uint8_t responder_type;
    uint8_t initiator[6];
    uint8_t responder[6];
    uint8_t confirm[16]; /* of the initiator */
    uint8_t initiator_random[16];
    uint8_t responder_random[16];
};

/* Finds the short-term key, if the passkey was none or six digits: all are tried, in about a second. In air order. */
bool ys_old_pairing_key(const struct ys_old_pairing *pairing, uint8_t key_size, uint8_t key[16]);

/* Whether a public key, its x and its y in air order, is a point of the curve P-256. */
bool ys_key_is_on_curve(const uint8_t key[64]);

/* Makes a confirm value (f4, Vol 3 Part H 2.2.6) of the x of both public keys, the sender's first, of its random value,
 * and of `z`. All in air order. */
bool ys_confirm_value(const uint8_t own_x[32], const uint8_t other_x[32], const uint8_t random[16], uint8_t z,
                      uint8_t confirm[16]);

#endif
