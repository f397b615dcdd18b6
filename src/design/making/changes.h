/* Changes between two versions of a definition, for developers of the other side, and for clients that have cached the
 * old table. */
#ifndef DESIGN_MAKING_CHANGES_H
#define DESIGN_MAKING_CHANGES_H

#include "design/making/layout.h"

struct ys_change {
    bool breaks; /* somebody who was made for the old version; else it is compatible */
    char *where; /* "tightening, preset"; "device" */
    char *what;
};

struct ys_changes {
    struct ys_change *items;
    size_t count;
    size_t breaking;
};

/* A version: a design without errors, laid out. */
struct ys_version {
    const struct ys_design *design;
    const struct ys_layout *layout;
};

/* Compares two. What it returns is the caller's. */
struct ys_changes ys_changes_between(const struct ys_version *before, const struct ys_version *after);
void ys_changes_free(struct ys_changes *changes);

#endif
