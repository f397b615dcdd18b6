/* Starts advertising sets, and runs events of legacy advertising. */
#ifndef SIM_ADVERTISER_H
#define SIM_ADVERTISER_H

#include "sim/controller_state.h"

void advertiser_init(struct advertiser *advertiser, struct ys_controller *controller);
/* `on` is NULL for the set of the legacy commands. */
uint8_t advertiser_start(struct advertiser *advertiser, const struct ys_hci_set_on *on);
void advertiser_stop(struct advertiser *advertiser);
/* Stops, and forgets what it had to say. */
void advertiser_free(struct advertiser *advertiser);
void advertisers_stop(struct ys_controller *controller);
/* Under which address one advertises that the controller has made. */
bool advertisers_made(const struct ys_controller *controller, struct ys_address *made);
bool advertisers_are_on(const struct ys_controller *controller);
bool advertisers_use_accept_list(const struct ys_controller *controller);

#endif
