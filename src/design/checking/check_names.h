/* Names, and the identifiers of C that they give. */
#ifndef DESIGN_CHECKING_CHECK_NAMES_H
#define DESIGN_CHECKING_CHECK_NAMES_H

#include "design/model/model.h"

void ys_check_names(struct ys_design *design);

#endif
