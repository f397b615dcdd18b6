/* The database hash of an attribute table (Core 5.4 Vol 3 Part G 7.3.1): what clients compare to see whether a table
 * that they remember is still the same. */
#ifndef DESIGN_MAKING_HASH_H
#define DESIGN_MAKING_HASH_H

#include "design/making/layout.h"

/* One attribute that takes part: with its value if the type is a declaration, without if it is a descriptor. */
struct ys_hashed {
    uint16_t handle;
    uint16_t type;
    const uint8_t *value; /* or NULL */
    size_t length;
};

/* Computes it, most significant byte first, as the standard prints it. False if the library refuses. */
bool ys_database_hash(const struct ys_hashed *attributes, size_t count, uint8_t hash[16]);

/* Computes that of a layout. */
bool ys_layout_hash(const struct ys_layout *layout, uint8_t hash[16]);

/* A number by which a compiled table is known to be that of a layout: it also depends on what clients do not see, such
 * as rights. */
uint32_t ys_layout_stamp(const struct ys_layout *layout);

#endif
