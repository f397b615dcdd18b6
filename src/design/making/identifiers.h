/* The names that generated C declares. */
#ifndef DESIGN_MAKING_IDENTIFIERS_H
#define DESIGN_MAKING_IDENTIFIERS_H

#include "design/making/layout.h"

struct ys_identifier {
    char *text;        /* for a structure, with "struct " before it */
    const char *owner; /* whose name gives it; NULL: the table itself */
    struct ys_place place;
    size_t order;
};

/* Every name that the header and the source declare for all of a file, macros too, in the order of the design. The list
 * is the caller's. */
struct ys_identifier *ys_identifiers_new(const struct ys_design *design, const struct ys_layout *layout, size_t *count);
void ys_identifiers_free(struct ys_identifier *list, size_t count);

/* The names of a structure's members that a field gives: its own, and the one beside it that counts, or NULL. Both are
 * the caller's. */
void ys_identifiers_of_field(const struct ys_field *field, char *names[2]);

#endif
