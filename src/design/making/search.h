/* Searching the catalogue as people do: by number, by name, by a word, with a typo. */
#ifndef DESIGN_MAKING_SEARCH_H
#define DESIGN_MAKING_SEARCH_H

#include <stdbool.h>
#include <stdio.h>

#include "design/reading/catalogue.h"

/* What was found; zero it before its first use. */
struct ys_search {
    const struct ys_adopted **found;
    size_t count;
    bool guessed; /* nothing fitted: these are the nearest */
};

/* Finds what all of `words` (one or more, in one text) fit: a number with or without 0x, an exact name, parts of a
 * name, words of the description, in this order; the first kind of fit that finds anything counts. If none does, names
 * that are one typo away. */
void ys_search_run(struct ys_search *search, const char *words);
void ys_search_clear(struct ys_search *search);

/* What kind it is, as a word. */
const char *ys_adopted_kind_name(enum ys_adopted_kind kind);

/* Prints a fragment of a definition that uses it; nothing for what is not written there. */
void ys_adopted_print_fragment(FILE *stream, const struct ys_adopted *adopted);

/* Prints the layout of a characteristic's value, a line a field; nothing for other kinds. */
void ys_adopted_print_layout(FILE *stream, const struct ys_adopted *adopted);

#endif
