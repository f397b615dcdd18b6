/* What advertising structures mean, in words. */
#ifndef DESIGN_MAKING_EXPLAIN_H
#define DESIGN_MAKING_EXPLAIN_H

#include <yarnswift/advertisement.h>

#include "design/model/model.h"

/* The kind of a structure: in the words of definitions if they have one, or else the standard's name of its type; never
 * NULL. */
const char *ys_explain_type(uint8_t type);

/* The meaning of a structure in one line; "" if it is unknown. `design` gives names and layouts of its own data, and
 * may be NULL. */
void ys_explain_structure(const struct ys_design *design, const struct ys_ad *ad, char *text, size_t size);

#endif
