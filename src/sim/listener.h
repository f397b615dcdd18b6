/* Listening on the advertising channels, and where they point. */
#ifndef SIM_LISTENER_H
#define SIM_LISTENER_H

#include "sim/controller_state.h"

void listener_init(struct listener *listener, struct ys_controller *controller, enum ys_phy phy, ys_timer_fn *reply,
                   ys_receive_fn *receive, void (*lost)(void *listener));
void listener_start(struct listener *listener, const struct ys_hci_phy_scan *times, uint64_t after_ns);
void listener_stop(struct listener *listener);
/* Back to the primary channel, or to silence outside the window. */
void listener_resume(struct listener *listener);
/* A connection needs the radio, and does not any more. */
void listener_pause(struct listener *listener);
void listener_unpause(struct listener *listener);
/* Follows what a packet points to; false if it cannot. */
bool listener_follow(struct listener *listener, const struct ys_air_packet *packet, const struct ys_link_aux *aux);
/* Stops listening to send a reply T_IFS after a packet; the reply timer tells. */
void listener_reply_to(struct listener *listener, const struct ys_air_packet *packet);
/* Listens for the answer to what ends at `end_ns`, where it was sent. */
void listener_wait_for_answer(struct listener *listener, uint64_t end_ns);
struct sending_on listener_place(const struct listener *listener);

#endif
