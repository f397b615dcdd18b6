/* The keys in a store of bonds. */
#ifndef WORLD_BONDS_H
#define WORLD_BONDS_H

#include "capture/follow/keys.h"

/* Adds the keys of all bonds in an SQLite file that a port keeps its records in. False, with why in `error`, if it
 * cannot be read. Returns how many there were in `count`. */
bool ys_bonds_read(const char *path, struct ys_keys *keys, size_t *count, char *error, size_t size);

#endif
