/* What the controller is told of encryption. */
#ifndef HOST_SMP_ENCRYPTION_H
#define HOST_SMP_ENCRYPTION_H

#include "host/core/due.h"
#include <yarnswift/pairing.h>

const struct ys_command_row *ys_encryption_row(uint8_t command);
/* The link is to be encrypted with the key of a bond, or KEY_OF_PAIRING. */
void ys_encryption_begin(struct ys_host *host, struct ys_connection *connection, uint8_t key_from);
/* The key of this link: of the pairing that goes on, or of a bond. False if it is not there any more. */
bool ys_encryption_find_key(struct ys_host *host, const struct ys_connection *connection, struct ys_key *key);

#endif
