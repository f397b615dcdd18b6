/* The server of the attribute protocol. */
#ifndef HOST_GATT_SERVER_SERVER_H
#define HOST_GATT_SERVER_SERVER_H

#include <yarnswift/host.h>

#include "wire/att.h"

/* A PDU as it came, and what it says. */
struct ys_received {
    const uint8_t *bytes;
    size_t length;
    enum ys_att_verdict verdict;
    struct ys_att_pdu pdu;
};

/* Takes a request or a command. */
void ys_server_receive(struct ys_host *host, struct ys_connection *connection, const struct ys_received *received);
/* Goes on with what has been consented to. */
void ys_server_run(struct ys_host *host, struct ys_connection *connection);

#endif
