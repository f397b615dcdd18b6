/* Extras: what is known to a host only that uses it, and linked only then. Sets, pairing, links and channels are such.
 */
#ifndef HOST_CORE_EXTRAS_H
#define HOST_CORE_EXTRAS_H

#include <yarnswift/host.h>

#include "host/core/due.h"

/* How an extra is hooked in. Any function may be NULL. */
struct ys_extra_calls {
    /* A command of it; NULL if it is none. */
    const struct ys_command_row *(*row)(const struct ys_host *host, uint8_t command);
    /* Any event of the controller. */
    void (*event)(struct ys_host *host, uint8_t event, const struct ys_reader *parameters);
    /* A PDU on a channel of L2CAP that is not ATT; false if it is not for this one. */
    bool (*receive)(struct ys_host *host, struct ys_connection *connection, uint16_t channel, const uint8_t *pdu,
                    size_t length);
    /* Does what is due; returns in how many milliseconds something will be. */
    uint32_t (*run)(struct ys_host *host, uint32_t now_ms);
    /* A connection has begun, or is not used any more. */
    void (*connection)(struct ys_host *host, struct ys_connection *connection);
};

/* The extra with these calls; NULL if the host does not use it. */
struct ys_extra *ys_extra_find(const struct ys_host *host, const struct ys_extra_calls *calls);

/* Adds an extra, whose commands and LE events the host has from then on. */
void ys_extra_add(struct ys_host *host, struct ys_extra *extra, const struct ys_extra_calls *calls, uint32_t le_events);

/* Tells all extras of a connection that has begun, or is not used any more. */
void ys_extras_tell(struct ys_host *host, struct ys_connection *connection);

#endif
