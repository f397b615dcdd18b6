/* Pairing, as a host gets to know it. */
#ifndef HOST_SMP_PAIRING_H
#define HOST_SMP_PAIRING_H

#include "host/core/hooks.h"
#include <yarnswift/pairing.h>

/* As ys_host_use_pairing; `above` is what the host does for it. */
enum ys_result ys_pairing_use(struct ys_host *host, struct ys_pairing *pairing, const struct ys_security *security,
                              const struct ys_pairing_calls *above);

#endif
