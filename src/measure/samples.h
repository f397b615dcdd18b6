/* Numbers of one kind, and what can be said of them together. */
#ifndef MEASURE_SAMPLES_H
#define MEASURE_SAMPLES_H

#include <stdbool.h>
#include <stddef.h>

/* Zero it before its first use. */
struct ys_samples {
    double *values;
    size_t count;
    size_t capacity;
    bool sorted;
};

/* Adds one; without memory for it the process ends. */
void ys_samples_add(struct ys_samples *samples, double value);
void ys_samples_free(struct ys_samples *samples);

/* The least value that is not less than this share of them, 0 to 1 (0: the least, 0.5: the median, 1: the greatest); 0
 * of none. Sorts them. */
double ys_samples_quantile(struct ys_samples *samples, double share);

/* 0 of none. */
double ys_samples_mean(const struct ys_samples *samples);

/* How many are at most `limit`. Sorts them. */
size_t ys_samples_within(struct ys_samples *samples, double limit);

#endif
