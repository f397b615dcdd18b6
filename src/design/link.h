/* What a definition says of its connections, as the host takes it. */
#ifndef DESIGN_LINK_H
#define DESIGN_LINK_H

#include <yarnswift/link.h>

#include "design/model.h"

/* What a definition that was checked wants of its connections; false if it says nothing. */
bool ys_link_of(const struct ys_design *design, struct ys_link_wishes *wishes);

#endif
