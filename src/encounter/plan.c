/* Each encounter is built around a pair, or later a triple, that has not occurred yet. Its other values are, of a few
 * random proposals, those that cover the most. */
#include "encounter/plan.h"

#include <stdlib.h>
#include <string.h>

#include "design/model/memory.h"
#include "sim/chance.h"

#define PROPOSALS    16
#define CHANCE       UINT64_C(0x900000000)
#define TRIPLES_MOST 4000000 /* that are kept account of; with more, chance has them */

struct ys_plan {
    uint64_t number;
    struct ys_chance chance;
    size_t counts[YS_ASPECTS];
    size_t first[YS_ASPECTS]; /* of the values of each aspect, in the row of all */
    size_t total;
    uint8_t *pairs;   /* total x total, the lower half */
    uint8_t *triples; /* total x total x total; or NULL */
    struct ys_covered covered;
};

static size_t pair_at(const struct ys_plan *plan, size_t one, size_t other)
{
    return one < other ? other * plan->total + one : one * plan->total + other;
}

static size_t triple_at(const struct ys_plan *plan, size_t a, size_t b, size_t c)
{
    return (a * plan->total + b) * plan->total + c;
}

static void count_all(struct ys_plan *plan)
{
    for (size_t a = 0; a < YS_ASPECTS; a++) {
        for (size_t b = a + 1; b < YS_ASPECTS; b++) {
            plan->covered.all_pairs += plan->counts[a] * plan->counts[b];
            for (size_t c = b + 1; c < YS_ASPECTS; c++)
                plan->covered.all_triples += plan->counts[a] * plan->counts[b] * plan->counts[c];
        }
    }
}

struct ys_plan *ys_plan_new(const struct ys_subject *subject, uint64_t seed)
{
    struct ys_plan *plan = ys_new(sizeof *plan);
    plan->chance = ys_chance_of(seed, CHANCE);
    for (size_t i = 0; i < YS_ASPECTS; i++) {
        plan->counts[i] = ys_aspect_count(subject, (enum ys_aspect)i);
        plan->first[i] = plan->total;
        plan->total += plan->counts[i];
    }
    count_all(plan);
    plan->pairs = ys_new(plan->total * plan->total);
    if (plan->total * plan->total * plan->total <= 32 * (size_t)TRIPLES_MOST)
        plan->triples = ys_new(plan->total * plan->total * plan->total);
    return plan;
}

void ys_plan_free(struct ys_plan *plan)
{
    if (plan == NULL)
        return;
    free(plan->pairs);
    free(plan->triples);
    free(plan);
}

/* How much that has not met would meet; `marks` notes it. */
static size_t gain(struct ys_plan *plan, const uint16_t values[YS_ASPECTS], bool marks)
{
    bool triples = plan->triples != NULL && (marks || plan->covered.pairs == plan->covered.all_pairs);
    size_t gained = 0;
    for (size_t a = 0; a < YS_ASPECTS; a++) {
        for (size_t b = a + 1; b < YS_ASPECTS; b++) {
            size_t one = plan->first[a] + values[a];
            size_t other = plan->first[b] + values[b];
            uint8_t *met = &plan->pairs[pair_at(plan, one, other)];
            gained += *met == 0 ? 1000 : 0;
            if (marks && *met == 0) {
                *met = 1;
                plan->covered.pairs++;
            }
            for (size_t c = b + 1; c < YS_ASPECTS && triples; c++) {
                met = &plan->triples[triple_at(plan, one, other, plan->first[c] + values[c])];
                gained += *met == 0;
                plan->covered.triples += marks && *met == 0;
                *met = marks ? 1 : *met;
            }
        }
    }
    return gained;
}

/* A pair that has not met, from a place that chance has chosen on; false if there is none. */
static bool find_pair(struct ys_plan *plan, uint16_t values[YS_ASPECTS], bool fixed[YS_ASPECTS])
{
    size_t places = (size_t)YS_ASPECTS * YS_ASPECTS;
    size_t from = ys_chance_below(&plan->chance, (uint32_t)places);
    if (plan->covered.pairs == plan->covered.all_pairs)
        return false;
    for (size_t i = 0; i < places; i++) {
        size_t a = (from + i) % places / YS_ASPECTS;
        size_t b = (from + i) % YS_ASPECTS;
        for (size_t j = 0; a < b && j < plan->counts[a] * plan->counts[b]; j++) {
            size_t one = j / plan->counts[b];
            size_t other = j % plan->counts[b];
            if (plan->pairs[pair_at(plan, plan->first[a] + one, plan->first[b] + other)] != 0)
                continue;
            values[a] = (uint16_t)one;
            values[b] = (uint16_t)other;
            fixed[a] = fixed[b] = true;
            return true;
        }
    }
    return false;
}

struct ys_choice ys_plan_next(struct ys_plan *plan)
{
    struct ys_choice best = {.number = ++plan->number};
    uint16_t base[YS_ASPECTS] = {0};
    bool fixed[YS_ASPECTS] = {false};
    size_t most = 0;
    (void)find_pair(plan, base, fixed);
    for (int i = 0; i < PROPOSALS; i++) {
        uint16_t values[YS_ASPECTS];
        for (size_t k = 0; k < YS_ASPECTS; k++) /* drawn in any case, so that chance goes on alike */
            values[k] = (uint16_t)ys_chance_below(&plan->chance, (uint32_t)plan->counts[k]);
        for (size_t k = 0; k < YS_ASPECTS; k++)
            values[k] = fixed[k] ? base[k] : values[k];
        size_t gained = gain(plan, values, false);
        if (i > 0 && gained <= most)
            continue;
        most = gained;
        memcpy(best.values, values, sizeof values);
    }
    (void)gain(plan, best.values, true);
    return best;
}

struct ys_covered ys_plan_covered(const struct ys_plan *plan)
{
    return plan->covered;
}

void ys_plan_covered_of(const struct ys_plan *plan, enum ys_aspect one, enum ys_aspect other, size_t *met, size_t *all)
{
    *all = plan->counts[one] * plan->counts[other];
    *met = 0;
    for (size_t i = 0; i < *all; i++) {
        size_t a = plan->first[one] + i / plan->counts[other];
        size_t b = plan->first[other] + i % plan->counts[other];
        *met += plan->pairs[pair_at(plan, a, b)];
    }
}
