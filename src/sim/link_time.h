/* When the events of a connection are, and what may be asked of it from anywhere. */
#ifndef SIM_LINK_TIME_H
#define SIM_LINK_TIME_H

#include "sim/controller_state.h"

/* The clock of its controller. */
static inline struct ys_clock *link_clock(const struct link *link)
{
    return link->controller->clock;
}

/* From one anchor to the next. */
static inline uint64_t link_interval_ns(const struct link *link)
{
    return link->parameters.interval * NS_PER_INTERVAL_STEP;
}

/* From the end of CONNECT_IND, or of AUX_CONNECT_REQ on an uncoded or a coded PHY, to the first transmit window
 * (Vol 6 Part B 4.5.3). */
static inline uint64_t link_window_delay_ns(bool extended, enum ys_phy phy)
{
    return YS_NS_PER_US * (!extended ? 1250 : ys_phy_is_coded(phy) ? 3750 : 2500);
}

/* The link of a handle; NULL if there is none. */
struct link *link_find(struct ys_controller *controller, uint16_t handle);
/* Whether there may be another link. */
bool links_have_room(const struct ys_controller *controller);
/* A free link of this controller with a handle; NULL if there is none, or no memory. */
struct link *link_take(struct ys_controller *controller);
/* Ends it as the standard has it, with a control PDU: the status of the command. */
uint8_t link_terminate(struct link *link, uint8_t reason);
/* Ends it at once. */
void link_end(struct link *link, uint8_t reason);
/* How far off an anchor may be after so long without one. */
uint64_t link_widening_ns(const struct link *link, uint64_t silence_ns);
/* There is something to send: a peripheral that sleeps is there at the next event. */
void link_wake(struct link *link);
/* Leaves the rest of an event out. */
void link_leave(struct link *link);
/* When the next event begins that it wants to attend; UINT64_MAX: none. */
uint64_t link_next_ns(const struct link *link);
/* How long this controller's clock takes for so much time. */
uint64_t link_by_own_clock(const struct link *link, uint64_t ns);
/* Sets the timer of the event that it attends next. */
void link_set_event(struct link *link);
/* When it will have been silent for too long, if nothing comes before (Vol 6 Part B 4.5.2). */
uint64_t link_silent_ns(const struct link *link);
/* That has become earlier. */
void link_watch(struct link *link);
/* A control PDU is due. */
void link_want(struct link *link, enum control control);
/* Whether a connection has the radio. */
bool links_have_radio(const struct ys_controller *controller);

#endif
