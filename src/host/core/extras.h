/* Extras: optional parts, which are linked only if the firmware uses them, such as sets, pairing, links, channels and
 * work for later. */
#ifndef HOST_CORE_EXTRAS_H
#define HOST_CORE_EXTRAS_H

#include <yarnswift/host.h>

#include "host/core/due.h"
#include "wire/hci.h"

struct ys_frame;

enum ys_extra_kind {
    YS_EXTRA_SETS,
    YS_EXTRA_PAIRING,
    YS_EXTRA_LINKS,
    YS_EXTRA_CHANNELS,
    YS_EXTRA_WORK,
    YS_EXTRA_OUTBOXES,
    YS_EXTRA_RECEIPTS,
    YS_EXTRA_COMMANDS
};

/* How an extra is hooked in. Any function may be NULL. */
struct ys_extra_calls {
    enum ys_extra_kind kind;
    /* A command of it; NULL if it is none. */
    const struct ys_command_row *(*row)(const struct ys_host *host, uint8_t command);
    /* Any event of the controller. */
    void (*event)(struct ys_host *host, uint8_t event, const struct ys_reader *parameters);
    /* Handles an L2CAP frame on a channel other than ATT; false if it belongs to another extra. */
    bool (*receive)(struct ys_host *host, const struct ys_frame *frame);
    /* Does due work; returns the milliseconds until the next. While the host is stopped, only work (work.h) is done. */
    uint32_t (*run)(struct ys_host *host, uint32_t now_ms);
    /* A connection has begun, with the controller's parameters; or, with NULL, it is no longer used. */
    void (*connection)(struct ys_host *host, struct ys_connection *connection, const struct ys_hci_connection *made);
    /* A value has been handed to the controller, all of its packets being the last on their way; of receipts alone. */
    void (*sent)(struct ys_host *host, const struct ys_connection *connection, uint16_t handle, bool indicated);
};

/* The extra of this kind; NULL if the host does not use it. */
struct ys_extra *ys_extra_find(const struct ys_host *host, enum ys_extra_kind kind);

/* Adds an extra, whose commands and LE events the host has from then on. */
void ys_extra_add(struct ys_host *host, struct ys_extra *extra, const struct ys_extra_calls *calls, uint32_t le_events);

/* Notifies all extras of a new connection, or (NULL) of one that is no longer used. */
void ys_extras_tell(struct ys_host *host, struct ys_connection *connection, const struct ys_hci_connection *made);

#endif
