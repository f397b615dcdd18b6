/* Whether a packet comes through, bit by bit. A probability p that nothing is wrong is kept as -ln p, its cost: those
 * of parts are added, and a packet is good while their sum is less than -ln of a random number. */
#include "sim/reception.h"

#include <math.h>
#include <stdlib.h>

#include "measure/errors.h"

/* Margins of the tables, in hundredths of a dB. */
#define LEAST_CDB (-2000)
#define MOST_CDB  2000
#define STEPS     (MOST_CDB - LEAST_CDB + 1)

/* Of a cost: so many to one. A bit costs 64 at the most, and a packet lasts 2^24 ns, for which there is room in 64
 * bits. */
#define ONE       1099511627776.0 /* 2^40 */
#define COST_MOST 64.0

/* By how much less what is on another channel disturbs than on the own one, in dB: 2, 4, and 6 MHz or more away
 * (Core 5.4 Vol 6 Part A 4.2, as differences to 21 dB on the own channel). */
static const double rejection_db[2][4] = {{0, 38, 48, 48}, {0, 6, 38, 48}};

struct ys_reception {
    int32_t noise_cdbm[4]; /* by enum ys_phy; also the next: */
    double noise_aw[4];
    int32_t required_cdb[4]; /* signal to noise at which the margin is 0 */
    double weights[2][4];    /* see ys_reception_weight */
    uint64_t cost[2][STEPS]; /* of a bit, uncoded and coded, by margin */
};

static uint64_t cost_of(double wrong)
{
    return (uint64_t)llround(ONE * fmin(wrong < 1 ? -log1p(-wrong) : COST_MOST, COST_MOST));
}

struct ys_reception *ys_reception_new(const struct ys_air_model *model)
{
    struct ys_reception *reception = calloc(1, sizeof *reception);
    if (reception == NULL)
        return NULL;
    for (int phy = YS_PHY_1M; phy <= YS_PHY_CODED_S2; phy++) {
        double noise_dbm = ys_thermal_noise_dbm((enum ys_phy)phy, model->noise_figure_db);
        reception->noise_cdbm[phy] = (int32_t)lround(100 * noise_dbm);
        reception->noise_aw[phy] = pow(10, noise_dbm / 10 + 15);
        reception->required_cdb[phy] = 100 * model->sensitivity_dbm[phy] - reception->noise_cdbm[phy];
    }
    /* what is so much weaker on the own channel does as much harm as the noise at the sensitivity of 1M */
    double own = pow(10, (model->capture_db - reception->required_cdb[YS_PHY_1M] / 100.0) / 10);
    for (int on_2m = 0; on_2m < 2; on_2m++) {
        for (int apart = 0; apart < 4; apart++)
            reception->weights[on_2m][apart] = own * pow(10, -rejection_db[on_2m][apart] / 10);
    }
    for (int coded = 0; coded < 2; coded++) {
        for (int i = 0; i < STEPS; i++)
            reception->cost[coded][i] = cost_of(ys_error_starts(coded != 0, (LEAST_CDB + i) / 100.0));
    }
    return reception;
}

void ys_reception_free(struct ys_reception *reception)
{
    free(reception);
}

double ys_reception_weight(const struct ys_reception *reception, unsigned apart, bool on_2m)
{
    return reception->weights[on_2m][apart < 4 ? apart : 3];
}

/* What a bit costs at this strength beside so much noise and interference. */
static uint64_t bit_cost(const struct ys_reception *reception, enum ys_phy phy, int32_t level_cdbm, uint64_t other_aw)
{
    int32_t noise_cdbm = reception->noise_cdbm[phy];
    if (other_aw > 0)
        noise_cdbm = (int32_t)lround(1000 * log10(reception->noise_aw[phy] + (double)other_aw)) - 15000;
    int32_t margin_cdb = level_cdbm - noise_cdbm - reception->required_cdb[phy];
    margin_cdb = margin_cdb < LEAST_CDB ? LEAST_CDB : margin_cdb > MOST_CDB ? MOST_CDB : margin_cdb;
    return reception->cost[ys_phy_is_coded(phy)][margin_cdb - LEAST_CDB];
}

/* -ln of a random number from 0 to 1. */
static uint64_t limit_of(uint64_t draw)
{
    return (uint64_t)llround(ONE * -log(((double)(draw >> 11) + 0.5) / 9007199254740992.0)); /* 2^53 */
}

bool ys_reception_begin(const struct ys_reception *reception, struct ys_reception_state *state, enum ys_phy phy,
                        int32_t level_cdbm, uint64_t other_aw, uint64_t now_ns, const uint64_t draws[2])
{
    static const uint16_t before_data_us[] = {
        [YS_PHY_1M] = 40, [YS_PHY_2M] = 24, [YS_PHY_CODED_S8] = 376, [YS_PHY_CODED_S2] = 376};
    bool coded = ys_phy_is_coded(phy);
    uint64_t cost = bit_cost(reception, coded ? YS_PHY_CODED_S8 : phy, level_cdbm, other_aw);
    if (cost * (coded ? YS_SYNC_BITS_CODED : YS_SYNC_BITS) > limit_of(draws[0]))
        return false;
    *state = (struct ys_reception_state){.phy = phy,
                                         .from_ns = now_ns,
                                         .data_ns = now_ns + before_data_us[phy] * UINT64_C(1000),
                                         .limit = limit_of(draws[1]),
                                         .level_cdbm = level_cdbm};
    return true;
}

void ys_reception_count(const struct ys_reception *reception, struct ys_reception_state *state, uint64_t other_aw,
                        uint64_t now_ns)
{
    static const uint16_t bit_ns[] = {
        [YS_PHY_1M] = 1000, [YS_PHY_2M] = 500, [YS_PHY_CODED_S8] = 8000, [YS_PHY_CODED_S2] = 2000};
    uint64_t from_ns = state->from_ns;
    if (!state->disturbed && from_ns < state->data_ns) /* that the beginning was heard is settled */
        from_ns = now_ns < state->data_ns ? now_ns : state->data_ns;
    if (state->cost <= state->limit)
        state->cost += (now_ns - from_ns) * (bit_cost(reception, state->phy, state->level_cdbm, other_aw) >> 10) /
                           bit_ns[state->phy]
                       << 10;
    state->from_ns = now_ns;
    state->disturbed = true;
}

bool ys_reception_is_good(const struct ys_reception_state *state)
{
    return state->cost <= state->limit;
}
