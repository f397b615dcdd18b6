/* What the parts of pairing need of the port, and of bytes. */
#ifndef HOST_SMP_TOOLS_H
#define HOST_SMP_TOOLS_H

#include "host/smp/toolbox.h"
#include <yarnswift/pairing.h>

struct ys_cipher ys_pairing_cipher(const struct ys_host *host);
bool ys_pairing_random(const struct ys_host *host, void *bytes, size_t length);
void ys_pairing_wipe(void *bytes, size_t length);
void ys_pairing_reverse(uint8_t *to, const uint8_t *from, size_t length);

#endif
