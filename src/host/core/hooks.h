/* Hooks: lower parts call higher ones through a constant table that the higher part provides. So a part that a firmware
 * does not use is not linked, and no part knows its neighbours. */
#ifndef HOST_CORE_HOOKS_H
#define HOST_CORE_HOOKS_H

#include <yarnswift/host.h>

#include "host/core/due.h"
#include "wire/att.h"
#include "wire/hci.h"

/* Brought by host.c, which knows all parts. */
struct ys_whole {
    /* The row of a command of advertising. */
    const struct ys_command_row *(*row)(uint8_t command);
    /* The controller has made a connection, or could not. */
    void (*connection_complete)(struct ys_host *host, const struct ys_hci_connection *complete);
    /* The controller is lost, and its connections with it. */
    void (*lost)(struct ys_host *host);
};

/* Scanning and connecting: known to a host only once it does. */
struct ys_central {
    const struct ys_command_row *(*row)(uint8_t command);
    void (*reports)(struct ys_host *host, struct ys_reader *reports);
    void (*failed)(struct ys_host *host, uint8_t status); /* to connect */
};

/* Advertising sets: known to a host only that uses them. */
struct ys_sets_calls {
    /* Before a command is chosen: whose turn it is. */
    void (*turn)(struct ys_host *host);
    /* The features of the controller have been read: the first 32 of them, which are all that matter here. */
    void (*features)(struct ys_host *host, uint32_t features);
    /* Whether a set can be so; a controller without sets may get another of it that fits. */
    enum ys_result (*adapt)(struct ys_host *host, const struct ys_advertising **advertising);
};

/* The client, known to a host only if it is used, so that a pure server need not link it. */
struct ys_client {
    void (*receive)(struct ys_host *host, struct ys_connection *connection, const struct ys_att_pdu *pdu,
                    enum ys_att_verdict verdict);
    void (*run)(struct ys_host *host, struct ys_connection *connection, uint32_t now_ms);
    void (*abort)(struct ys_connection *connection);
};

/* Outboxes: known to a host only that has one. */
struct ys_outboxes {
    /* Sends a value on this connection; whether it did. */
    bool (*send)(struct ys_host *host, struct ys_connection *connection);
};

/* The stored state of bonded clients, known only to a host that pairs. */
struct ys_keeping {
    /* Stores changes, after they have been collected for a while; returns the milliseconds until the next call. */
    uint32_t (*run)(struct ys_host *host, uint32_t now_ms);
    /* The connection has ended. */
    void (*left)(struct ys_host *host, struct ys_connection *connection);
    /* The table has changed: absent bonded clients are told when they come back. */
    void (*changed)(struct ys_host *host);
};

/* Pairing: what it does for clients, and what is done for it. */
struct ys_pairing_calls {
    /* An access was refused with this error: true if something is done about it, and it may be tried again then. */
    bool (*demanded)(struct ys_host *host, struct ys_connection *connection, uint8_t error);
    /* The link is encrypted with the key of this bond, from 1. */
    void (*bond_used)(struct ys_host *host, struct ys_connection *connection, uint8_t bond);
    /* The bond is no more, or its number will be another's. */
    void (*bond_gone)(const struct ys_host *host, uint8_t bond);
    /* Stops advertising and scanning, and starts them again: due commands can be sent in between. */
    void (*renew)(struct ys_host *host);
};

#endif
