/* Losses are computed once for each pair and kept in a table that forgets: a crowd has more pairs than memory. */
#include "sim/propagation.h"

#include <math.h>
#include <stdlib.h>
#include <string.h>

#include "sim/chance.h"
#include "sim/fading.h"
#include "wire/link.h"

#define CACHE_SIZE    (1u << 18)
#define NEAREST_M     0.1
#define MAX_CDBM      4000
#define MIN_CDBM      (-15000)
#define CDB_A_DECADE  1000
#define SHADOWING_SUM 12 /* so many equal chances have a variance of 1 */

const struct ys_air_model ys_air_hall = {
    .loss_at_1m_db = 40,
    .exponent = 2.7,
    .shadowing_db = 4,
    .capture_db = 8,
    .noise_figure_db = 7,
    .sensitivity_dbm = {[YS_PHY_1M] = -95, [YS_PHY_2M] = -92, [YS_PHY_CODED_S8] = -103, [YS_PHY_CODED_S2] = -98},
};

struct place {
    double x_m;
    double y_m;
    double body_db;
};

struct kept {
    uint32_t pair; /* the lower number first; 0: nothing */
    int32_t loss_cdb;
};

struct ys_propagation {
    struct ys_air_model model;
    struct place *places;
    size_t place_count;
    uint32_t mantissas[CDB_A_DECADE]; /* 10^(i / 1000) in millionths */
    bool any_kept;
    struct kept kept[CACHE_SIZE];
};

struct ys_propagation *ys_propagation_new(const struct ys_air_model *model)
{
    struct ys_propagation *propagation = calloc(1, sizeof *propagation);
    if (propagation == NULL)
        return NULL;
    propagation->model = *model;
    for (int i = 0; i < CDB_A_DECADE; i++)
        propagation->mantissas[i] = (uint32_t)lround(1e6 * pow(10, (double)i / CDB_A_DECADE));
    return propagation;
}

void ys_propagation_free(struct ys_propagation *propagation)
{
    if (propagation == NULL)
        return;
    free(propagation->places);
    free(propagation);
}

static bool make_room(struct ys_propagation *propagation, uint16_t number)
{
    if (number < propagation->place_count)
        return true;
    size_t count = (size_t)number + number / 2 + 16;
    struct place *places = realloc(propagation->places, count * sizeof *places);
    if (places == NULL)
        return false;
    for (size_t i = propagation->place_count; i < count; i++)
        places[i] = (struct place){0, 0, 0};
    propagation->places = places;
    propagation->place_count = count;
    return true;
}

bool ys_propagation_place(struct ys_propagation *propagation, uint16_t number, double x_m, double y_m)
{
    if (!make_room(propagation, number))
        return false;
    propagation->places[number].x_m = x_m;
    propagation->places[number].y_m = y_m;
    if (propagation->any_kept) /* what was known of it is no longer so */
        memset(propagation->kept, 0, sizeof propagation->kept);
    propagation->any_kept = false;
    return true;
}

bool ys_propagation_carry(struct ys_propagation *propagation, uint16_t number, double body_db)
{
    if (!make_room(propagation, number))
        return false;
    propagation->places[number].body_db = body_db;
    return true;
}

static struct place place_of(const struct ys_propagation *propagation, uint16_t number)
{
    return number < propagation->place_count ? propagation->places[number] : (struct place){0, 0, 0};
}

static double shadowing_db(const struct ys_propagation *propagation, uint32_t pair)
{
    struct ys_chance chance = ys_chance_of(propagation->model.seed, pair);
    double sum = -SHADOWING_SUM / 2.0;
    for (int i = 0; i < SHADOWING_SUM; i++)
        sum += (double)(ys_chance_next(&chance) >> 11) / (double)(UINT64_C(1) << 53);
    return sum * propagation->model.shadowing_db;
}

static int32_t loss_cdb(const struct ys_propagation *propagation, uint16_t one, uint16_t other, uint32_t pair)
{
    const struct ys_air_model *model = &propagation->model;
    struct place a = place_of(propagation, one);
    struct place b = place_of(propagation, other);
    double distance_m = sqrt((a.x_m - b.x_m) * (a.x_m - b.x_m) + (a.y_m - b.y_m) * (a.y_m - b.y_m));
    double loss_db = model->loss_at_1m_db + 10 * model->exponent * log10(fmax(distance_m, NEAREST_M));
    if (model->shadowing_db > 0)
        loss_db += shadowing_db(propagation, pair);
    return (int32_t)lround(100 * fmin(fmax(loss_db, 0), 300));
}

static uint32_t pair_of(uint16_t one, uint16_t other)
{
    return one < other ? (uint32_t)one << 16 | other : (uint32_t)other << 16 | one;
}

int32_t ys_propagation_change_cdb(const struct ys_propagation *propagation, uint16_t one, uint16_t other,
                                  uint8_t channel, uint64_t at_ns)
{
    const struct ys_air_model *model = &propagation->model;
    struct place a = place_of(propagation, one);
    struct place b = place_of(propagation, other);
    return fading_cdb(model, pair_of(one, other), channel, at_ns) +
           body_cdb(model, one, a.body_db, b.x_m - a.x_m, b.y_m - a.y_m, at_ns) +
           body_cdb(model, other, b.body_db, a.x_m - b.x_m, a.y_m - b.y_m, at_ns);
}

int32_t ys_propagation_loss_cdb(struct ys_propagation *propagation, uint16_t one, uint16_t other)
{
    uint32_t pair = pair_of(one, other);
    struct kept *kept = &propagation->kept[(pair * UINT32_C(2654435761)) >> 14];
    propagation->any_kept = true;
    if (kept->pair != pair || pair == 0)
        *kept = (struct kept){.pair = pair, .loss_cdb = loss_cdb(propagation, one, other, pair)};
    return kept->loss_cdb;
}

uint64_t ys_propagation_power_aw(const struct ys_propagation *propagation, int32_t power_cdbm)
{
    static const uint64_t decades[] = {1u,           10u,           100u,           1000u,          10000u,
                                       100000u,      1000000u,      10000000u,      100000000u,     1000000000u,
                                       10000000000u, 100000000000u, 1000000000000u, 10000000000000u};
    if (power_cdbm < MIN_CDBM)
        return 0;
    uint32_t steps = (uint32_t)((power_cdbm < MAX_CDBM ? power_cdbm : MAX_CDBM) - MIN_CDBM);
    uint32_t decade = steps / CDB_A_DECADE;
    uint64_t mantissa = propagation->mantissas[steps % CDB_A_DECADE];
    return decade < 6 ? mantissa * decades[decade] / 1000000u : mantissa * decades[decade - 6];
}
