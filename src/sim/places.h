/* Where the events of a central's connections lie. */
#ifndef SIM_PLACES_H
#define SIM_PLACES_H

#include "sim/controller_state.h"

/* How much later the events of a connection are to be than from `at_ns` on, so that those of one controller as central
 * get into each other's way as little as can be: less than the interval, which is in 1.25 ms. `link` is NULL if it is
 * still to be made. */
uint64_t places_later_ns(const struct ys_controller *controller, const struct link *link, uint64_t at_ns,
                         uint16_t interval);

/* An exchange of a central begins, and an event is over: how it uses its time is noted, and it may want another place.
 */
void places_note_exchange(struct link *link);
void places_consider(struct link *link);

#endif
