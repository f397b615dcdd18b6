/* How a connection hops, recovered from the channels of its events (Core 5.4 Vol 6 Part B 4.5.8).
 *
 * Algorithm #1 has 37 beginnings and 12 hop increments, algorithm #2 has 65,536 counters: so many ways are possible.
 * Each says which channel an event had before the map was applied. If that is the event's channel, it fits; if it is
 * another that was seen, it does not; if it is one that was not seen, it may have been replaced. By how many events fit
 * it is known how likely a wrong way is to fit as well by chance. */
#include "capture/follow/hopping.h"

#include <stdlib.h>
#include <string.h>

#include "wire/link.h"

#define CHANNELS    37
#define ALL         ((UINT64_C(1) << CHANNELS) - 1)
#define HOP_LEAST   5
#define HOP_MOST    16
#define COUNTERS    65536
#define FIRST_TRY   6
#define CHANCE_MOST 0.002 /* that a wrong way is taken for the right one */
#define REPLACED    14    /* so many events that were replaced as a map says show that it has no other channels */
#define AGAIN       8     /* events until it is tried again whether the map is complete */

/* One of the ways in which it may hop. */
struct way {
    bool algorithm_2;
    uint8_t hop;
    uint8_t unmapped; /* of the first event that is kept */
    uint16_t ahead;
};

/* How the events fit to a way. */
struct fit {
    bool some;         /* to some map */
    bool whole;        /* to a map of the channels that were seen */
    unsigned replaced; /* events that were on another channel in place of theirs */
    uint64_t unused;
};

struct search {
    const struct ys_hopping *hopping;
    uint32_t access_address;
    const uint16_t *numbers; /* of algorithm #2 by their counters, or NULL */
    uint64_t seen;           /* channels, also before those that are kept */
    uint8_t used[CHANNELS];  /* these, in order */
    uint8_t used_count;
    double ways;
    /* the best so far, and how many wrong ones are expected to fit as well */
    struct way best;
    struct fit best_fit;
    double best_chance;
    double second_chance;
};

static struct search search_of(const struct ys_hopping *hopping, uint32_t access_address, uint64_t seen)
{
    struct search search = {.hopping = hopping, .access_address = access_address, .seen = seen};
    for (uint8_t channel = 0; channel < CHANNELS; channel++) {
        if ((seen >> channel & 1) != 0)
            search.used[search.used_count++] = channel;
    }
    return search;
}

/* The channel of an event before the map is applied, and its index among the used channels. */
static uint8_t unmapped_of(const struct search *search, const struct way *way, uint16_t number, uint8_t *index)
{
    if (way->algorithm_2) {
        uint16_t counter = (uint16_t)(number + way->ahead);
        uint16_t chosen =
            search->numbers != NULL ? search->numbers[counter] : ys_link_event_number(search->access_address, counter);
        *index = (uint8_t)((uint32_t)search->used_count * chosen >> 16);
        return (uint8_t)(chosen % CHANNELS);
    }
    uint16_t events = (uint16_t)(number - search->hopping->events[0].number);
    uint8_t unmapped = (uint8_t)((way->unmapped + (uint32_t)way->hop * events) % CHANNELS);
    *index = unmapped % search->used_count;
    return unmapped;
}

static struct fit fit_of(const struct search *search, const struct way *way)
{
    const struct ys_hopping *hopping = search->hopping;
    struct fit fit = {.some = true, .whole = true};
    for (uint16_t i = 0; i < hopping->count; i++) {
        uint8_t index;
        uint8_t channel = hopping->events[i].channel;
        uint8_t unmapped = unmapped_of(search, way, hopping->events[i].number, &index);
        if (unmapped == channel)
            continue;
        if ((search->seen >> unmapped & 1) != 0)
            return (struct fit){.some = false};
        fit.unused |= UINT64_C(1) << unmapped;
        fit.replaced++;
        fit.whole = fit.whole && search->used[index] == channel;
    }
    bool all = (search->seen | fit.unused) == ALL;
    fit.some = fit.whole || !all; /* where all of the map is known it must be that one */
    fit.whole = fit.whole && (all || fit.replaced >= REPLACED);
    return fit;
}

/* How many wrong ways are expected to fit as well as this one: to the map of those that were seen, or with as many
 * events that were not replaced. */
static double chance_of(const struct search *search, const struct fit *fit)
{
    unsigned count = search->hopping->count;
    double whole = search->ways;
    for (unsigned i = 0; i < count; i++)
        whole /= search->used_count;
    double same = 1.0 / CHANNELS;
    double replaced = (double)(CHANNELS - search->used_count) / CHANNELS;
    double term = search->ways;
    for (unsigned i = 0; i < count; i++)
        term *= same;
    double some = term;
    for (unsigned replacements = 1; replacements <= fit->replaced; replacements++) {
        term *= (count - replacements + 1.0) / replacements * replaced / same;
        some += term;
    }
    return fit->whole && whole < some ? whole : some;
}

static void try_way(struct search *search, const struct way *way)
{
    struct fit fit = fit_of(search, way);
    if (!fit.some)
        return;
    double chance = chance_of(search, &fit);
    if (chance < search->best_chance) {
        search->second_chance = search->best_chance;
        search->best_chance = chance;
        search->best = *way;
        search->best_fit = fit;
    } else if (chance < search->second_chance) {
        search->second_chance = chance;
    }
}

static void try_ways(struct search *search, const struct ys_hopping_premise *premise)
{
    bool with_1 = !premise->knows_algorithm || !premise->algorithm_2;
    unsigned least = premise->knows_algorithm ? premise->hop : HOP_LEAST;
    unsigned most = premise->knows_algorithm ? premise->hop : HOP_MOST;
    for (unsigned hop = least; hop <= most && with_1; hop++) {
        for (uint8_t unmapped = 0; unmapped < CHANNELS; unmapped++) {
            const struct way way = {.hop = (uint8_t)hop, .unmapped = unmapped};
            try_way(search, &way);
        }
    }
    for (uint32_t ahead = 0; ahead < COUNTERS && search->numbers != NULL; ahead++) {
        const struct way way = {.algorithm_2 = true, .ahead = (uint16_t)ahead};
        try_way(search, &way);
    }
}

static uint64_t channels_of(const struct ys_hopping *hopping)
{
    uint64_t channels = 0;
    for (uint16_t i = 0; i < hopping->count; i++)
        channels |= UINT64_C(1) << hopping->events[i].channel;
    return channels;
}

static uint8_t unmapped_now(const struct ys_hopping *hopping, const struct way *way)
{
    uint16_t events = (uint16_t)(hopping->last - hopping->events[0].number);
    return (uint8_t)((way->unmapped + (uint32_t)way->hop * events) % CHANNELS);
}

static void search_ways(struct ys_hopping *hopping, const struct ys_hopping_premise *premise)
{
    struct search search = search_of(hopping, premise->access_address, channels_of(hopping));
    uint16_t *numbers = NULL;
    search.ways = COUNTERS + CHANNELS * (HOP_MOST - HOP_LEAST + 1.0);
    search.best_chance = search.second_chance = search.ways;
    if (!premise->knows_algorithm || premise->algorithm_2) {
        numbers = malloc(COUNTERS * sizeof *numbers);
        if (numbers == NULL)
            return;
        for (uint32_t counter = 0; counter < COUNTERS; counter++)
            numbers[counter] = ys_link_event_number(premise->access_address, (uint16_t)counter);
    }
    search.numbers = numbers;
    try_ways(&search, premise);
    free(numbers);
    if (search.best_chance > CHANCE_MOST || search.second_chance < 0.5)
        return;
    hopping->found = true;
    hopping->algorithm_2 = search.best.algorithm_2;
    hopping->hop = search.best.hop;
    hopping->ahead = search.best.ahead;
    hopping->unmapped = unmapped_now(hopping, &search.best);
    hopping->used = search.seen;
    hopping->complete = search.best_fit.whole;
    hopping->unused = hopping->complete ? ALL & ~search.seen : search.best_fit.unused;
    hopping->confirmed = hopping->count;
}

static void keep(struct ys_hopping *hopping, uint16_t number, uint8_t channel)
{
    if (hopping->count == YS_HOPPING_KEPT) {
        hopping->count = YS_HOPPING_KEPT / 2;
        memmove(hopping->events, hopping->events + YS_HOPPING_KEPT - hopping->count,
                hopping->count * sizeof hopping->events[0]);
    }
    hopping->events[hopping->count++] = (struct ys_hopping_event){.number = number, .channel = channel};
}

void ys_hopping_restart(struct ys_hopping *hopping)
{
    hopping->found = false;
    hopping->complete = false;
    hopping->confirmed = 0;
    hopping->count = 0;
    hopping->seen = 0;
    hopping->next_try = FIRST_TRY;
}

/* Whether an event fits the solution; it may reveal further unused channels. */
static bool fits(struct ys_hopping *hopping, uint32_t access_address, uint16_t number, uint8_t channel)
{
    struct search search = search_of(hopping, access_address, hopping->used);
    uint8_t index;
    hopping->unmapped =
        (uint8_t)((hopping->unmapped + (uint32_t)hopping->hop * (uint16_t)(number - hopping->last)) % CHANNELS);
    const struct way way = {.algorithm_2 = hopping->algorithm_2,
                            .hop = 0, /* it is there already */
                            .unmapped = hopping->unmapped,
                            .ahead = hopping->ahead};
    uint8_t unmapped = unmapped_of(&search, &way, number, &index);
    uint64_t bit = UINT64_C(1) << channel;
    uint64_t unmapped_bit = UINT64_C(1) << unmapped;
    if (hopping->complete)
        return channel == ((hopping->used & unmapped_bit) != 0 ? unmapped : search.used[index]);
    if ((hopping->unused & bit) != 0 || (unmapped != channel && (hopping->used & unmapped_bit) != 0))
        return false;
    hopping->used |= bit;
    hopping->unused |= unmapped != channel ? unmapped_bit : 0;
    return true;
}

/* Whether those that were seen are all that are used. */
static bool try_map(struct ys_hopping *hopping, uint32_t access_address)
{
    struct search search = search_of(hopping, access_address, hopping->used);
    uint16_t events = (uint16_t)(hopping->last - hopping->events[0].number);
    uint32_t back = (CHANNELS - hopping->hop % CHANNELS) * (uint32_t)(events % CHANNELS);
    const struct way way = {.algorithm_2 = hopping->algorithm_2,
                            .hop = hopping->hop,
                            .unmapped = (uint8_t)((hopping->unmapped + back) % CHANNELS),
                            .ahead = hopping->ahead};
    struct fit fit = fit_of(&search, &way);
    bool all = (hopping->used | hopping->unused) == ALL;
    hopping->complete = fit.some && (fit.whole || all);
    if (hopping->complete)
        hopping->unused = ALL & ~hopping->used;
    return fit.some;
}

void ys_hopping_take(struct ys_hopping *hopping, const struct ys_hopping_premise *premise, uint16_t number,
                     uint8_t channel, uint32_t *allowance)
{
    if (channel >= CHANNELS)
        return;
    if (hopping->next_try == 0)
        ys_hopping_restart(hopping);
    bool good = !hopping->found || fits(hopping, premise->access_address, number, channel);
    if (!good)
        ys_hopping_restart(hopping);
    hopping->last = number;
    keep(hopping, number, channel);
    hopping->seen++;
    if (hopping->found) {
        hopping->confirmed++;
        if (!hopping->complete && hopping->seen % AGAIN == 0 && !try_map(hopping, premise->access_address))
            ys_hopping_restart(hopping);
        return;
    }
    if (hopping->seen < hopping->next_try || *allowance < YS_HOPPING_COST)
        return;
    *allowance -= YS_HOPPING_COST;
    hopping->next_try = hopping->seen + (hopping->seen + 3) / 4;
    search_ways(hopping, premise);
}

void ys_hopping_map(const struct ys_hopping *hopping, uint8_t channel_map[5])
{
    for (int i = 0; i < 5; i++)
        channel_map[i] = (uint8_t)(hopping->used >> 8 * i);
}

unsigned ys_hopping_known_channels(const struct ys_hopping *hopping)
{
    unsigned known = 0;
    for (int channel = 0; channel < CHANNELS; channel++)
        known += (unsigned)((hopping->used | hopping->unused) >> channel & 1);
    return known;
}
