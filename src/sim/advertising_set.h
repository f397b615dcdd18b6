/* An advertising set: its addresses, who may connect, and its end. */
#ifndef SIM_ADVERTISING_SET_H
#define SIM_ADVERTISING_SET_H

#include "sim/controller_state.h"

/* Its own, on the air. */
struct ys_address advertiser_address(const struct advertiser *advertiser);
/* The event is over: the last that was asked for may be. */
void advertiser_event_over(struct advertiser *advertiser);
/* Whether somebody who was heard may connect, or ask. */
bool advertiser_admits(const struct advertiser *advertiser, const struct ys_address *peer, enum ys_hci_filter filter);
/* Tells of a scan request, if it is to be told. */
void advertiser_tell_request(const struct advertiser *advertiser, const struct ys_address *peer);
/* Becomes a connection. */
void advertiser_accept(struct advertiser *advertiser, const struct ys_address *peer,
                       const struct ys_link_connect *connect, uint64_t end_ns);
bool advertiser_connect_is_valid(const struct ys_link_connect *connect);
/* Whether it has this property. */
static inline bool set_is(const struct advertiser *advertiser, enum ys_hci_set_properties property)
{
    return (advertiser->parameters.properties & property) != 0;
}
/* Switches it off. */
void set_silence(struct advertiser *advertiser);
/* Tells the host that it has ended, and why. */
void set_tell_terminated(const struct advertiser *advertiser, uint8_t status, uint16_t connection);

#endif
