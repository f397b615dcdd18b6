/* Values that a server sends. */
#ifndef HOST_GATT_CLIENT_RECEIVED_H
#define HOST_GATT_CLIENT_RECEIVED_H

#include <yarnswift/host.h>

#include "wire/att.h"

/* A notification, an indication, or several values in one PDU have arrived: they are passed on, and an indication will
 * be confirmed. */
void ys_client_received(struct ys_host *host, struct ys_connection *connection, const struct ys_att_pdu *pdu,
                        enum ys_att_verdict verdict);

#endif
