/* Losses are computed once for each pair. Those to who listens for long lie beside each other, for each sender; others
 * are kept in a table that forgets: a crowd has more pairs than memory. */
#include "sim/propagation.h"

#include <math.h>
#include <stdlib.h>
#include <string.h>

#include "sim/chance.h"
#include "sim/fading.h"
#include "wire/link.h"

#define CACHE_BITS    18
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

/* So many paths are kept at most: half a gigabyte. */
#define PATHS_MOST ((size_t)1 << 24)

/* From one sender. */
struct paths {
    struct ys_path *ears;
    uint32_t count;
};

struct kept {
    uint64_t pair; /* the lower number first; 0: nothing */
    int32_t loss_cdb;
};

struct ys_propagation {
    struct ys_air_model model;
    struct place *places;
    size_t place_count;
    uint32_t mantissas[CDB_A_DECADE]; /* 10^(i / 1000) in millionths */
    struct paths *paths;              /* by the number of the sender */
    uint32_t *ears;                   /* by the number of the listener: its ear, and one; 0: none */
    size_t known_count;               /* of both */
    uint32_t *listeners;              /* by ear */
    uint32_t ear_count;
    size_t path_count;
    bool any_kept;
    struct kept kept[1u << CACHE_BITS];
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
    for (size_t i = 0; i < propagation->known_count; i++)
        free(propagation->paths[i].ears);
    free(propagation->paths);
    free(propagation->ears);
    free(propagation->listeners);
    free(propagation->places);
    free(propagation);
}

static bool make_room(struct ys_propagation *propagation, uint32_t number)
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

/* The cached path losses from and to this radio are no longer valid. */
static void forget(struct ys_propagation *propagation, uint32_t number)
{
    if (propagation->any_kept)
        memset(propagation->kept, 0, sizeof propagation->kept);
    propagation->any_kept = false;
    if (number >= propagation->known_count)
        return;
    for (uint32_t i = 0; i < propagation->paths[number].count; i++)
        propagation->paths[number].ears[i].known = false;
    uint32_t ear = propagation->ears[number];
    for (size_t i = 0; ear != 0 && i < propagation->known_count; i++) {
        if (ear <= propagation->paths[i].count)
            propagation->paths[i].ears[ear - 1].known = false;
    }
}

bool ys_propagation_place(struct ys_propagation *propagation, uint32_t number, double x_m, double y_m)
{
    if (!make_room(propagation, number))
        return false;
    propagation->places[number].x_m = x_m;
    propagation->places[number].y_m = y_m;
    forget(propagation, number);
    return true;
}

bool ys_propagation_carry(struct ys_propagation *propagation, uint32_t number, double body_db)
{
    if (!make_room(propagation, number))
        return false;
    propagation->places[number].body_db = body_db;
    return true;
}

static struct place place_of(const struct ys_propagation *propagation, uint32_t number)
{
    return number < propagation->place_count ? propagation->places[number] : (struct place){0, 0, 0};
}

static double shadowing_db(const struct ys_propagation *propagation, uint64_t pair)
{
    struct ys_chance chance = ys_chance_of(propagation->model.seed, pair);
    double sum = -SHADOWING_SUM / 2.0;
    for (int i = 0; i < SHADOWING_SUM; i++)
        sum += (double)(ys_chance_next(&chance) >> 11) / (double)(UINT64_C(1) << 53);
    return sum * propagation->model.shadowing_db;
}

static int32_t loss_cdb(const struct ys_propagation *propagation, uint32_t one, uint32_t other, uint64_t pair)
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

static uint64_t pair_of(uint32_t one, uint32_t other)
{
    return one < other ? ys_chance_two(one, other) : ys_chance_two(other, one);
}

int32_t ys_propagation_change_cdb(const struct ys_propagation *propagation, uint32_t one, uint32_t other,
                                  uint8_t channel, uint64_t at_ns)
{
    const struct ys_air_model *model = &propagation->model;
    struct place a = place_of(propagation, one);
    struct place b = place_of(propagation, other);
    return fading_cdb(model, pair_of(one, other), channel, at_ns) +
           body_cdb(model, one, a.body_db, b.x_m - a.x_m, b.y_m - a.y_m, at_ns) +
           body_cdb(model, other, b.body_db, a.x_m - b.x_m, a.y_m - b.y_m, at_ns);
}

int32_t ys_propagation_loss_cdb(struct ys_propagation *propagation, uint32_t one, uint32_t other)
{
    uint64_t pair = pair_of(one, other);
    struct kept *kept = &propagation->kept[(pair * UINT64_C(0x9e3779b97f4a7c15)) >> (64 - CACHE_BITS)];
    propagation->any_kept = true;
    if (kept->pair != pair || pair == 0)
        *kept = (struct kept){.pair = pair, .loss_cdb = loss_cdb(propagation, one, other, pair)};
    return kept->loss_cdb;
}

/* Room for what is known of this number. */
static bool make_known(struct ys_propagation *propagation, uint32_t number)
{
    if (number < propagation->known_count)
        return true;
    size_t count = (size_t)number + number / 2 + 16;
    struct paths *paths = realloc(propagation->paths, count * sizeof *paths);
    if (paths != NULL)
        propagation->paths = paths;
    uint32_t *ears = realloc(propagation->ears, count * sizeof *ears);
    if (ears != NULL)
        propagation->ears = ears;
    if (paths == NULL || ears == NULL)
        return false;
    memset(paths + propagation->known_count, 0, (count - propagation->known_count) * sizeof *paths);
    memset(ears + propagation->known_count, 0, (count - propagation->known_count) * sizeof *ears);
    propagation->known_count = count;
    return true;
}

uint32_t ys_propagation_ear(struct ys_propagation *propagation, uint32_t number)
{
    if (!make_known(propagation, number))
        return YS_NO_EAR;
    if (propagation->ears[number] != 0)
        return propagation->ears[number] - 1;
    uint32_t *listeners = realloc(propagation->listeners, (propagation->ear_count + 1) * sizeof *listeners);
    if (listeners == NULL)
        return YS_NO_EAR;
    propagation->listeners = listeners;
    listeners[propagation->ear_count] = number;
    propagation->ears[number] = ++propagation->ear_count;
    return propagation->ear_count - 1;
}

struct ys_path *ys_propagation_paths(struct ys_propagation *propagation, uint32_t sender)
{
    if (!make_known(propagation, sender))
        return NULL;
    struct paths *paths = &propagation->paths[sender];
    if (paths->count >= propagation->ear_count)
        return paths->ears;
    uint32_t count = propagation->ear_count + propagation->ear_count / 4;
    size_t more = count - paths->count;
    if (more > PATHS_MOST - propagation->path_count)
        return NULL;
    struct ys_path *ears = realloc(paths->ears, count * sizeof *ears);
    if (ears == NULL)
        return NULL;
    memset(ears + paths->count, 0, more * sizeof *ears);
    propagation->path_count += more;
    *paths = (struct paths){.ears = ears, .count = count};
    return ears;
}

void ys_propagation_learn(struct ys_propagation *propagation, struct ys_path *path, uint32_t sender, uint32_t ear,
                          int32_t power_cdbm)
{
    uint32_t listener = propagation->listeners[ear];
    if (!path->known)
        path->loss_cdb = loss_cdb(propagation, sender, listener, pair_of(sender, listener));
    path->known = true;
    path->power_cdbm = power_cdbm;
    path->power_aw = ys_propagation_power_aw(propagation, power_cdbm - path->loss_cdb);
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
