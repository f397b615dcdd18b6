/* What the controller tells of encryption. */
#ifndef HOST_SMP_ENCRYPTED_H
#define HOST_SMP_ENCRYPTED_H

#include <yarnswift/pairing.h>

void ys_encryption_event_in(struct ys_host *host, uint8_t event, const struct ys_reader *parameters);

#endif
