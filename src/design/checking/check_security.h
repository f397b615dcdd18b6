/* Security, and how many of what there is room for. */
#ifndef DESIGN_CHECKING_CHECK_SECURITY_H
#define DESIGN_CHECKING_CHECK_SECURITY_H

#include "design/model/model.h"

/* How it pairs, and what of its rights that allows; how many of what there is room for. */
void ys_check_security(struct ys_design *design);

#endif
