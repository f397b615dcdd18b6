/* A connection begins. */
#ifndef HOST_GAP_CONNECTING_H
#define HOST_GAP_CONNECTING_H

#include <yarnswift/host.h>

#include "wire/hci.h"

#define INTERVAL_STEP_US 1250

/* The controller has made a connection, or could not. */
void ys_gap_connection_complete(struct ys_host *host, const struct ys_hci_connection *complete);

#endif
