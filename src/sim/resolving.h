/* The resolving list. */
#ifndef SIM_RESOLVING_H
#define SIM_RESOLVING_H

#include "sim/controller_state.h"

/* Who has this address on the air: an identity, or the address itself; true if it was resolved. */
bool resolving_identify(const struct ys_controller *controller, const struct ys_address *address,
                        struct ys_address *identity);
/* Whether the address on the air is of whom is wanted. */
bool resolving_is(const struct ys_controller *controller, const struct ys_address *wanted,
                  const struct ys_address *address);
/* Whether somebody has made this address for this controller. */
bool resolving_is_own(const struct ys_controller *controller, const struct ys_address *target);
/* How a peer is named on the air. */
struct ys_address resolving_target(struct ys_controller *controller, const struct ys_address *peer);
/* The address of this controller for a peer, an identity or an address that is resolved; false if there is none. */
bool resolving_own(struct ys_controller *controller, const struct ys_address *peer, struct ys_address *own);
void resolving_reset(struct ys_controller *controller);
/* The entry of an identity; NULL if it is not on the list. */
struct resolving *resolving_entry(struct ys_controller *controller, const struct ys_address *identity);

#endif
