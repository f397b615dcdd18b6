/* Ways to advertise. */
#ifndef DESIGN_CHECKING_CHECK_ADVERTISING_H
#define DESIGN_CHECKING_CHECK_ADVERTISING_H

#include "design/model/model.h"

void ys_check_advertising(struct ys_design *design);

/* Advice: who filters by a service that is not promised never finds the device. */
void ys_check_unpromised(struct ys_design *design);

#endif
