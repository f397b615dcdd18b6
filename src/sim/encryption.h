/* Encryption of a connection. */
#ifndef SIM_ENCRYPTION_H
#define SIM_ENCRYPTION_H

#include "sim/link_state.h"

uint8_t encryption_enable(struct link *link, const struct ys_hci_key_name *name, const uint8_t key[16]);
/* The peripheral's host has the key, or NULL if not. */
uint8_t encryption_key(struct link *link, const uint8_t *key);
/* Fills a control PDU that is due. */
void encryption_compose(struct link *link, enum control control, struct ys_link_control_pdu *pdu);
/* A control PDU that belongs to encryption has come; false if it does not. The link may end by it. */
bool encryption_control_in(struct link *link, const struct ys_link_control_pdu *pdu);
/* The control PDU with this opcode has arrived at the peer. */
void encryption_acknowledged(struct link *link, uint8_t opcode);
/* Whether data must wait. */
bool encryption_holds_data(const struct link *link);
/* Whether data of the peer must not come now. */
bool encryption_forbids_data(const struct link *link);
void encryption_end(struct link *link);
/* Encrypts a packet before it is sent, or decrypts a received one, in place, if encryption is on; false if the MIC is
 * wrong. */
void encryption_seal(struct link *link, struct ys_link_data *pdu, uint8_t *payload);
bool encryption_open(struct link *link, struct ys_link_data *pdu, uint8_t *payload);

#endif
