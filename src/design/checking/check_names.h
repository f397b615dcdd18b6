/* Names, and the identifiers of C that they give. */
#ifndef DESIGN_CHECKING_CHECK_NAMES_H
#define DESIGN_CHECKING_CHECK_NAMES_H

#include "design/making/layout.h"

/* No two of a kind may be one in C. */
void ys_check_names(struct ys_design *design);

/* Nor may any two names that the generated C declares; of a design without errors. */
void ys_check_identifiers(struct ys_design *design, const struct ys_layout *layout);

#endif
