/* What advertising structures mean, in words. */
#ifndef DESIGN_MAKING_EXPLAIN_H
#define DESIGN_MAKING_EXPLAIN_H

#include <yarnswift/advertisement.h>

#include "design/model/model.h"

/* What kind of structure it is: a word or two of the definition's language where it has one, or else the standard's
 * name of its type; never NULL. */
const char *ys_explain_type(uint8_t type);

/* What it says, as one line; "" if nothing is known of it. `design` gives names and layouts to what is its own, and may
 * be NULL. */
void ys_explain_structure(const struct ys_design *design, const struct ys_ad *ad, char *text, size_t size);

#endif
