/* The units of the catalogue, as its reader needs them already: types name them. */
#ifndef DESIGN_MODEL_UNITS_H
#define DESIGN_MODEL_UNITS_H

#include "design/model/formats.h"

/* Keeps these units, the last without a name, for good. */
void ys_units_keep(const struct ys_unit *units);

/* By name, symbol or number (0x27A8), of those that are kept; NULL if there is none. */
const struct ys_unit *ys_units_named(const char *word);

/* Names, and names and symbols, as both may be written: fills at most `most` and returns how many it has filled. */
size_t ys_units_names(const char **names, size_t most);
size_t ys_units_words(const char **names, size_t most);

#endif
