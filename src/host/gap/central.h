/* Scanning and connecting: what sets say otherwise is made of this. */
#ifndef HOST_GAP_CENTRAL_H
#define HOST_GAP_CENTRAL_H

#include <yarnswift/host.h>

#include "wire/hci.h"

/* Hands a report to the firmware, if it passes the filter. */
void ys_central_report(struct ys_host *host, const struct ys_event *event);
void ys_central_fill_connect(const struct ys_host *host, struct ys_hci_connect *parameters);
/* What the end of a command means. */
void ys_central_scan_on(struct ys_host *host, struct ys_reader *parameters);
void ys_central_scan_off(struct ys_host *host, struct ys_reader *parameters);
void ys_central_scan_failed(struct ys_host *host, const char *name, uint8_t status);
void ys_central_connect_failed(struct ys_host *host, const char *name, uint8_t status);

#endif
