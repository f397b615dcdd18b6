/* The times of events that have not been heard follow a renewal equation: an event at t comes from one between 10 ms
 * and nothing before t - interval that was not heard. One pass over a grid of time solves it. */
#include "measure/discovery.h"

#include <math.h>
#include <stdbool.h>
#include <stdlib.h>

#define STEP_US  100.0
#define DELAY_US 10000.0

/* The number of equally spaced phases that represent any phase. */
#define PHASES 24

/* A share that is not worth to be looked for. */
#define NEGLIGIBLE 1e-7

/* Whether the packet of a channel that begins at this time after the beginning of the scan is heard whole. */
static bool is_heard_on(const struct ys_discovery *discovery, int channel, double at_us)
{
    double turn = floor(at_us / discovery->scan_interval_us);
    double into_us = at_us - turn * discovery->scan_interval_us;
    return (int)((uint64_t)turn % 3) == channel && into_us + discovery->packet_us <= discovery->scan_window_us;
}

/* An event in a scanner's windows: after which times it is found by it, how likely each, and how likely not at all. */
struct chance {
    double after_us[3];
    double found[3];
    int count;
    double missed;
};

static struct chance chance_of(const struct ys_discovery *discovery, double at_us)
{
    struct chance chance = {.missed = 1};
    double comes = (1 - discovery->lost) * (discovery->known_us > 0 ? 1 - discovery->lost_known : 1);
    double offset_us = 0;
    for (int channel = 0; channel < 3; channel++) {
        if ((discovery->channels >> channel & 1) == 0)
            continue;
        if (is_heard_on(discovery, channel, at_us + offset_us)) {
            double found = chance.missed * comes;
            chance.after_us[chance.count] =
                discovery->known_us > 0 ? discovery->known_us : offset_us + discovery->packet_us;
            chance.found[chance.count++] = found;
            chance.missed -= found;
        }
        offset_us += discovery->spacing_us;
    }
    return chance;
}

/* The first event after the scan has begun: the rest of the interval in which it begins. */
static double first_density(const struct ys_discovery *discovery, double at_us)
{
    double over_us = at_us - discovery->interval_us;
    double left = over_us <= 0 ? 1 : over_us < DELAY_US ? 1 - over_us / DELAY_US : 0;
    return left / (discovery->interval_us + DELAY_US / 2);
}

/* The integral of what was not heard up to a time, between two steps of the grid. */
static double sum_until(const double *sums, double at_us)
{
    if (at_us <= 0)
        return 0;
    double position = at_us / STEP_US;
    size_t index = (size_t)position;
    double part = position - (double)index;
    return sums[index] + part * (sums[index + 1] - sums[index]);
}

/* Adds the share that is found in each step, of a scanner that was so far into its turn when the search began. */
static void solve(const struct ys_discovery *discovery, double phase_us, double weight, double *sums, double *found,
                  size_t steps)
{
    double left = 1;
    sums[0] = 0;
    for (size_t i = 0; i < steps && left > NEGLIGIBLE; i++) {
        double middle_us = ((double)i + 0.5) * STEP_US;
        double before_us = middle_us - discovery->interval_us;
        double events = first_density(discovery, middle_us) +
                        (sum_until(sums, before_us) - sum_until(sums, before_us - DELAY_US)) / DELAY_US;
        struct chance chance = chance_of(discovery, middle_us + phase_us);
        sums[i + 1] = sums[i] + chance.missed * events * STEP_US;
        for (int k = 0; k < chance.count; k++) {
            size_t at = (size_t)((middle_us + chance.after_us[k]) / STEP_US);
            left -= chance.found[k] * events * STEP_US;
            if (at < steps)
                found[at] += weight * chance.found[k] * events * STEP_US;
        }
    }
}

/* The share that is found in each step; the caller's, to be freed. */
static double *distribution(const struct ys_discovery *discovery, size_t steps)
{
    double *sums = calloc(steps + 2, sizeof *sums);   /* of events that were not heard, until each step */
    double *found = calloc(steps + 1, sizeof *found); /* share that is found in each step */
    int phases = discovery->any_phase ? PHASES : 1;
    if (sums == NULL || found == NULL)
        abort();
    for (int i = 0; i < phases; i++) {
        double phase_us = discovery->any_phase ? 3.0 * discovery->scan_interval_us * (i + 0.5) / phases : 0;
        solve(discovery, phase_us, 1.0 / phases, sums, found, steps);
    }
    free(sums);
    return found;
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
    double *found = distribution(discovery, steps);
    double share = 0;
    double within = 0;
    *expectation = (struct ys_discovery_expectation){.median_ms = -1, .p95_ms = -1};
    for (size_t i = 0; i < steps; i++) {
        double at_ms = (double)(i + 1) * STEP_US / 1000;
        share += found[i];
        note(share, at_ms, 0.5, &expectation->median_ms);
        note(share, at_ms, 0.95, &expectation->p95_ms);
        within = at_ms <= within_ms ? share : within;
    }
    expectation->found = share;
    free(found);
    return within;
}

void ys_discovery_shares(const struct ys_discovery *discovery, const double *times_ms, double *shares, size_t count)
{
    size_t steps = count > 0 ? (size_t)(times_ms[count - 1] * 1000 / STEP_US) + 1 : 0;
    double *found = distribution(discovery, steps);
    double share = 0;
    size_t step = 0;
    for (size_t i = 0; i < count; i++) {
        for (; step < steps && (double)(step + 1) * STEP_US / 1000 <= times_ms[i]; step++)
            share += found[step];
        shares[i] = share;
    }
    free(found);
}

double ys_collisions(uint32_t packet_us, uint32_t other_us, uint32_t other_interval_us, uint32_t count)
{
    double overlap = ((double)packet_us + other_us) / (other_interval_us + DELAY_US / 2);
    return 1 - pow(1 - fmin(overlap, 1), count);
}
