/* How often bits arrive wrong. */
#include "measure/errors.h"

#include <math.h>

#define HALF_OF_BITS 0.5
#define AT_MARGIN_0  1e-3 /* of the bits are wrong */

/* Paths of the code that leave the right one and come back, by their distance from it, and the bits that are wrong on
 * all of them (the code of constraint length 4 with the polynomials 15 and 17 in octal). */
#define DISTANCE_LEAST 6
static const double paths[] = {1, 3, 5, 11, 25, 55, 121, 267};
static const double wrong_bits[] = {2, 7, 18, 49, 130, 333, 836, 2069};
#define DISTANCES (sizeof paths / sizeof paths[0])

/* The share of symbols that may be wrong, for AT_MARGIN_0 of the bits by the bound below. */
#define SYMBOLS_AT_MARGIN_0 0.025232410998

/* That a decoder prefers a path at this distance, if so many symbols are wrong. */
static double prefers(unsigned distance, double wrong)
{
    double sum = 0;
    double ways = 1; /* of choosing k of the distance */
    for (unsigned k = 0; k <= distance; k++) {
        double share = ways * pow(wrong, k) * pow(1 - wrong, distance - k);
        sum += 2 * k > distance ? share : 2 * k == distance ? share / 2 : 0;
        ways *= (double)(distance - k) / (k + 1);
    }
    return sum;
}

/* Vol 6 Part B 3.3.1. */
static double bound(const double counts[DISTANCES], double wrong)
{
    double sum = 0;
    for (unsigned i = 0; i < DISTANCES; i++)
        sum += counts[i] * prefers(DISTANCE_LEAST + i, wrong);
    return sum;
}

/* Half of exp(-x) is wrong: x goes with the ratio of the powers. */
static double wrong_at(double wrong_at_margin_0, double margin_db)
{
    return HALF_OF_BITS * exp(log(2 * wrong_at_margin_0) * pow(10, margin_db / 10));
}

double ys_bit_errors(bool coded, double margin_db)
{
    if (!coded)
        return wrong_at(AT_MARGIN_0, margin_db);
    return fmin(bound(wrong_bits, wrong_at(SYMBOLS_AT_MARGIN_0, margin_db)), HALF_OF_BITS);
}

double ys_error_starts(bool coded, double margin_db)
{
    if (!coded)
        return wrong_at(AT_MARGIN_0, margin_db);
    return fmin(bound(paths, wrong_at(SYMBOLS_AT_MARGIN_0, margin_db)), 1);
}

double ys_packet_heard(enum ys_phy phy, double margin_db)
{
    bool coded = ys_phy_is_coded(phy);
    return pow(1 - ys_error_starts(coded, margin_db), coded ? YS_SYNC_BITS_CODED : YS_SYNC_BITS);
}

double ys_packet_whole(enum ys_phy phy, double margin_db, size_t length)
{
    return pow(1 - ys_error_starts(ys_phy_is_coded(phy), margin_db), ys_bits_of(phy, length));
}

double ys_thermal_noise_dbm(enum ys_phy phy, double noise_figure_db)
{
    double band_hz = phy == YS_PHY_2M ? 2e6 : 1e6;
    return -174 + 10 * log10(band_hz) + noise_figure_db;
}
