/* Checks a definition as a whole: resolves UUIDs and values, and reports every problem. */
#ifndef DESIGN_CHECKING_CHECK_H
#define DESIGN_CHECKING_CHECK_H

#include "design/model/model.h"

/* Completes a design that was read, and adds to its findings. */
void ys_design_check(struct ys_design *design);

#endif
