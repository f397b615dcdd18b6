/* Actions that are due for connections: a set of bits for each; the lowest goes first. HCI commands go one at a time
 * (link_commands.c); the others are signalling commands (link_signals.c). */
#ifndef HOST_GAP_LINKS_H
#define HOST_GAP_LINKS_H

#include "wire/hci_link.h"
#include <yarnswift/link.h>

enum due {
    DUE_ANSWER, /* to the parameters that the other side asks for: yes; no: */
    DUE_REFUSAL,
    DUE_UPDATE, /* the parameters that the other host asked for */
    DUE_LENGTH, /* what this side asks for; also the next: */
    DUE_PHYS,
    DUE_PARAMETERS,
    DUE_SIGNAL, /* the same from the other host; from here on no commands */
    DUE_SIGNAL_ANSWER,
    DUE_SIGNAL_REFUSAL,
    DUE_NOTHING
};

#define DUE(due)          (1u << (due))
#define DUE_AT_ONCE       (DUE(DUE_ANSWER) | DUE(DUE_REFUSAL) | DUE(DUE_UPDATE))
#define DUE_BY_COMMAND    (DUE(DUE_SIGNAL) - 1)
#define TIMEOUT_STEP_MS   10
#define EVENT_LENGTH_STEP 625

/* NULL if the host does not use links. */
struct ys_links *ys_links_of(const struct ys_host *host);
struct ys_link_of *ys_link_of_connection(struct ys_host *host, const struct ys_connection *connection);
/* These are due. */
void ys_link_want(struct ys_host *host, struct ys_link_of *of, uint16_t due);
void ys_link_tell(struct ys_host *host, const struct ys_connection *connection, enum ys_event_kind kind,
                  enum ys_link_change matter, uint8_t reason);
/* A request has failed; after a collision it is repeated later. */
void ys_link_refused(struct ys_host *host, struct ys_connection *connection, uint16_t due, uint8_t status);
struct ys_hci_parameters ys_link_wished(const struct ys_link_wishes *wishes);

#endif
