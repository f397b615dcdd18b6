/* Parameters of connections. */
#ifndef DESIGN_CHECKING_CHECK_LINK_H
#define DESIGN_CHECKING_CHECK_LINK_H

#include "design/model/model.h"

/* Parameters of connections that contradict each other. */
void ys_check_link(struct ys_design *design);

#endif
