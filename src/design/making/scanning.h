/* What a device looks for, in words. */
#ifndef DESIGN_MAKING_SCANNING_H
#define DESIGN_MAKING_SCANNING_H

#include "design/model/model.h"

/* "devices with service 180f that are heard at -80 dBm or more; listens 50 ms of every 100 ms, on 1M". The caller frees
 * it. */
char *ys_scanning_text(const struct ys_device_scanning *scanning);

#endif
