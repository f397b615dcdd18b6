/* Samples, sorted when that is needed. */
#include "measure/samples.h"

#include <math.h>
#include <stdlib.h>

void ys_samples_add(struct ys_samples *samples, double value)
{
    if (samples->count == samples->capacity) {
        samples->capacity = samples->capacity < 64 ? 64 : 2 * samples->capacity;
        samples->values = realloc(samples->values, samples->capacity * sizeof *samples->values);
        if (samples->values == NULL)
            abort();
    }
    samples->values[samples->count++] = value;
    samples->sorted = false;
}

void ys_samples_free(struct ys_samples *samples)
{
    free(samples->values);
    *samples = (struct ys_samples){.values = NULL};
}

static int compare(const void *left, const void *right)
{
    double a = *(const double *)left;
    double b = *(const double *)right;
    return (a > b) - (a < b);
}

static void sort(struct ys_samples *samples)
{
    if (!samples->sorted && samples->count > 0)
        qsort(samples->values, samples->count, sizeof *samples->values, compare);
    samples->sorted = true;
}

double ys_samples_quantile(struct ys_samples *samples, double share)
{
    if (samples->count == 0)
        return 0;
    sort(samples);
    double rank = ceil(share * (double)samples->count);
    size_t index = rank < 1 ? 0 : (size_t)rank - 1;
    return samples->values[index < samples->count ? index : samples->count - 1];
}

double ys_samples_mean(const struct ys_samples *samples)
{
    double sum = 0;
    for (size_t i = 0; i < samples->count; i++)
        sum += samples->values[i];
    return samples->count > 0 ? sum / (double)samples->count : 0;
}

size_t ys_samples_within(struct ys_samples *samples, double limit)
{
    size_t low = 0;
    size_t high = samples->count;
    sort(samples);
    while (low < high) {
        size_t middle = low + (high - low) / 2;
        if (samples->values[middle] <= limit)
            low = middle + 1;
        else
            high = middle;
    }
    return low;
}
