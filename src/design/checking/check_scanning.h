/* What a device looks for. */
#ifndef DESIGN_CHECKING_CHECK_SCANNING_H
#define DESIGN_CHECKING_CHECK_SCANNING_H

#include "design/model/model.h"

void ys_check_scanning(struct ys_design *design);

#endif
