/* From the chosen method on to a key. */
#ifndef HOST_SMP_METHODS_H
#define HOST_SMP_METHODS_H

#include "host/smp/step.h"
#include <yarnswift/pairing.h>

const struct ys_pairing_step *ys_methods_first(struct ys_host *host);

#endif
