/* What the application does. */
#ifndef DESIGN_CHECKING_CHECK_BEHAVIOUR_H
#define DESIGN_CHECKING_CHECK_BEHAVIOUR_H

#include "design/model/model.h"

void ys_check_behaviours(struct ys_design *design);

#endif
