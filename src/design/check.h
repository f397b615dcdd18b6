/* What a definition means together: UUIDs, rights, values, sizes; everything that can be known before code runs. */
#ifndef DESIGN_CHECK_H
#define DESIGN_CHECK_H

#include "design/model.h"

/* Completes the design (UUIDs, formats from the catalogue, values as bytes) and adds what is wrong to its findings. */
void ys_design_check(struct ys_design *design);

#endif
