/* Security, and how many of what there is room for. */
#ifndef DESIGN_CHECKING_CHECK_SECURITY_H
#define DESIGN_CHECKING_CHECK_SECURITY_H

#include "design/model/model.h"

/* Checks pairing against the rights it allows, and the limits of bonds. */
void ys_check_security(struct ys_design *design);

#endif
