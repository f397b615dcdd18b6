/* Characteristics. */
#ifndef DESIGN_CHECKING_CHECK_CHARACTERISTIC_H
#define DESIGN_CHECKING_CHECK_CHARACTERISTIC_H

#include "design/model/model.h"

void ys_check_characteristic(struct ys_design *design, const struct ys_service *service, size_t index);

/* What is only seen well once nothing is wrong. */
void ys_check_advice(struct ys_design *design, const struct ys_characteristic *characteristic);

#endif
