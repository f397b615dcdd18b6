/* Words: the nearest of several, C identifiers made from names, quantities with units. */
#ifndef DESIGN_MODEL_WORDS_H
#define DESIGN_MODEL_WORDS_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

/* How many letters must be added, taken away, changed or swapped with the next to turn one into the other. */
size_t ys_word_distance(const char *a, const char *b);

/* The one of `count` words that is nearest to `word`, if it is near enough to have been meant; else NULL. */
const char *ys_word_nearest(const char *word, const char *const *words, size_t count);

/* Whether both are equal but for capitals. */
bool ys_word_is_equal(const char *a, const char *b);

/* A C identifier from a name: lower case, with one underscore for each run of other characters. NULL if nothing
 * is left or it would begin with a digit. The caller frees it. */
char *ys_identifier(const char *name);

/* Whether it is a keyword of C or C++, which no identifier may be. */
bool ys_is_keyword(const char *word);

/* Whether a device of this identifier would declare names that the C library or this one has. */
bool ys_identifier_is_reserved(const char *device);

/* Reads "100 ms", "1.5 s" or "250 us" as whole microseconds. False if it is anything else, or does not fit. */
bool ys_duration_parse(const char *text, uint64_t *us);

/* Reads a decimal number as `mantissa` x 10^-`places`, and sets `end` after it. False if it is not one, or has more
 * than 18 digits. */
bool ys_decimal_parse(const char *text, int64_t *mantissa, int *places, const char **end);

#endif
