/* The times of events that have not been heard follow a renewal equation: an event at t comes from one between 10 ms
 * and nothing before t - interval that was not heard. One pass over a grid of time solves it. */
#include "measure/discovery.h"

#include <math.h>
#include <stdbool.h>
#include <stdlib.h>

#define STEP_US  100.0
#define DELAY_US 10000.0

/* Whether the packet of a channel that begins at this time after the beginning of the scan is heard whole. */
static bool is_heard_on(const struct ys_discovery *discovery, int channel, double at_us)
{
    double turn = floor(at_us / discovery->scan_interval_us);
    double into_us = at_us - turn * discovery->scan_interval_us;
    return (int)fmod(turn, 3) == channel && into_us + discovery->packet_us <= discovery->scan_window_us;
}

/* After which time the first packet of an event at `at_us` that is heard has ended; negative: none is. */
static double heard_after_us(const struct ys_discovery *discovery, double at_us)
{
    double offset_us = 0;
    for (int channel = 0; channel < 3; channel++) {
        if ((discovery->channels >> channel & 1) == 0)
            continue;
        if (is_heard_on(discovery, channel, at_us + offset_us))
            return discovery->known_us > 0 ? discovery->known_us : offset_us + discovery->packet_us;
        offset_us += discovery->spacing_us;
    }
    return -1;
}

/* The first event after the beginning of the scan: what is left of an interval that somebody comes into. */
static double first_density(const struct ys_discovery *discovery, double at_us)
{
    double over_us = at_us - discovery->interval_us;
    double left = over_us <= 0 ? 1 : over_us < DELAY_US ? 1 - over_us / DELAY_US : 0;
    return left / (discovery->interval_us + DELAY_US / 2);
}

/* The sum of what was not heard up to a time, between two steps of the grid. */
static double sum_until(const double *sums, double at_us)
{
    if (at_us <= 0)
        return 0;
    double position = at_us / STEP_US;
    size_t index = (size_t)position;
    double part = position - (double)index;
    return sums[index] + part * (sums[index + 1] - sums[index]);
}

static void note(double share, double at_ms, double level, double *quantile_ms)
{
    if (*quantile_ms < 0 && share >= level)
        *quantile_ms = at_ms;
}

double ys_discovery_expect(const struct ys_discovery *discovery, double limit_ms, double within_ms,
                           struct ys_discovery_expectation *expectation)
{
    size_t steps = (size_t)(limit_ms * 1000 / STEP_US);
    double *sums = calloc(steps + 2, sizeof *sums);   /* of events that were not heard, until each step */
    double *found = calloc(steps + 1, sizeof *found); /* share that is found in each step */
    double share = 0;
    double within = 0;
    if (sums == NULL || found == NULL)
        abort();
    for (size_t i = 0; i < steps; i++) {
        double middle_us = ((double)i + 0.5) * STEP_US;
        double before_us = middle_us - discovery->interval_us;
        double events = first_density(discovery, middle_us) +
                        (sum_until(sums, before_us) - sum_until(sums, before_us - DELAY_US)) / DELAY_US;
        double after_us = heard_after_us(discovery, middle_us);
        sums[i + 1] = sums[i] + (after_us < 0 ? events * STEP_US : 0);
        size_t at = (size_t)((middle_us + after_us) / STEP_US);
        if (after_us >= 0 && at < steps)
            found[at] += events * STEP_US;
    }
    *expectation = (struct ys_discovery_expectation){.median_ms = -1, .p95_ms = -1};
    for (size_t i = 0; i < steps; i++) {
        double at_ms = (double)(i + 1) * STEP_US / 1000;
        share += found[i];
        note(share, at_ms, 0.5, &expectation->median_ms);
        note(share, at_ms, 0.95, &expectation->p95_ms);
        within = at_ms <= within_ms ? share : within;
    }
    expectation->found = share;
    free(sums);
    free(found);
    return within;
}
