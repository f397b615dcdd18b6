/* The bearer of the attribute protocol. */
#ifndef HOST_GATT_BEARER_H
#define HOST_GATT_BEARER_H

#include <yarnswift/host.h>

#include "host/l2cap/frames.h"

/* Takes a PDU. */
void ys_bearer_receive(struct ys_host *host, const struct ys_frame *frame);
/* Confirms an indication that has come, if that is due and there is room. */
void ys_bearer_confirm(struct ys_host *host, struct ys_connection *connection);

#endif
