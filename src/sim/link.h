/* Connections: events on their anchors. */
#ifndef SIM_LINK_H
#define SIM_LINK_H

#include "sim/controller_state.h"

void links_stop(struct ys_controller *controller);
void link_start(struct link *link, const struct link_begin *begin, const struct ys_link_connect *parameters);

#endif
