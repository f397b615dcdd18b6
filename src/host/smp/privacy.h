/* The device's address, made from its identity key. */
#ifndef HOST_SMP_PRIVACY_H
#define HOST_SMP_PRIVACY_H

#include "host/core/due.h"
#include <yarnswift/pairing.h>

const struct ys_command_row *ys_privacy_row(const struct ys_host *host, uint8_t command);
/* After how long an address is made anew. */
uint16_t ys_privacy_rotation_s(const struct ys_pairing *pairing);
/* Before the start, if the security says so. */
void ys_privacy_begin(struct ys_host *host);
/* Makes a new address when it is time; returns in how many milliseconds it will be. */
uint32_t ys_privacy_run(struct ys_host *host, uint32_t now_ms);

#endif
