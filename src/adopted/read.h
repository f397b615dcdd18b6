/* The catalogue as it is written: YAML. */
#ifndef ADOPTED_READ_H
#define ADOPTED_READ_H

#include "design/reading/catalogue.h"

/* Reads all of it. False after a line for each mistake. */
bool adopted_read(const char *text, size_t length);

/* What was read of a kind, in its order. */
const struct ys_adopted *adopted_of(enum ys_adopted_kind kind, size_t *count);

#endif
