/* Advertising: the sets of a host, of which there is one unless it uses more (gap/sets.c). */
#ifndef HOST_GAP_ADVERTISING_H
#define HOST_GAP_ADVERTISING_H

#include <yarnswift/pairing.h>
#include <yarnswift/sets.h>

#include "host/core/due.h"

#include "wire/hci.h"

#define ADVERTISING_STEP_US 625

/* The fragment of an extended payload that goes into one command. */
#define FRAGMENT_MAX (COMMAND_MAX - 4)

static inline bool ys_set_is_extended(const struct ys_advertising *advertising)
{
    return advertising->options != NULL && advertising->options->extended;
}

/* The peer that the parameters of advertising name: with whose key the controller makes an address that anybody may
 * hear (Vol 4 Part E 7.8.5), or who alone is meant. */
static inline const struct ys_address *ys_advertising_peer(const struct ys_host *host,
                                                           const struct ys_advertising *advertising)
{
    bool anybody = host->own_type >= YS_HCI_OWN_RESOLVABLE && advertising->kind < YS_ADVERTISE_DIRECTED;
    return anybody ? &host->pairing->listed : &advertising->peer;
}

/* Set `number`; NULL if there are not so many. */
struct ys_set *ys_set_at(struct ys_host *host, uint8_t number);
/* Marks these commands as due for a set: now, or when it is its turn. */
void ys_set_want(struct ys_host *host, struct ys_set *set, uint32_t commands);
/* Whether a set can be so; with what the controller can do of it instead, see ys_sets_calls. */
enum ys_result ys_set_check(struct ys_host *host, const struct ys_advertising **advertising);
enum ys_result ys_set_advertise(struct ys_host *host, struct ys_set *set, const struct ys_advertising *advertising);
void ys_set_stop(struct ys_host *host, struct ys_set *set);
void ys_set_ended(struct ys_host *host, struct ys_set *set, uint8_t reason);
/* A set has become a connection. */
void ys_set_connected(struct ys_host *host, struct ys_set *set);
/* The controller has refused a command of the set at work. */
void ys_set_failed(struct ys_host *host, const char *name, uint8_t status);

/* What all sets need now. */
void ys_gap_restart_advertising(struct ys_host *host);
/* All sets are advertised anew, and scanning begins anew, since the address of the device changes between their end and
 * their beginning. */
void ys_gap_renew(struct ys_host *host);
/* Stops advertising whose duration has passed; returns the milliseconds until the next one ends. */
uint32_t ys_gap_run(struct ys_host *host, uint32_t now_ms);

#endif
