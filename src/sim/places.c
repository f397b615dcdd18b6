/* Where the events of a central's connections lie: a place is when they begin, within the time after which those of all
 * connections repeat together. A connection is brought to its place by the transmit window of its request, and moved to
 * a better one by an update that changes nothing else (Core 5.4 Vol 6 Part B 2.3.3.1, 5.1.1).
 *
 * A connection that had more to say than there was time for gets as many whole exchanges as can be, and so do the
 * others; who has had time enough needs that of one exchange. Each moves to where that is best while the others stay.
 */
#include "sim/places.h"

#include <string.h>

#include "sim/link_lengths.h"
#include "sim/link_time.h"
#include "sim/procedures_order.h"

/* How often a connection looks whether there is a better place, in events. */
#define LOOK_EVENTS 16

/* What is only more even is worth a move if the sum of squares gets less by one part of so many. */
#define EVENER 64

/* So many places are tried between two connections, at the most. */
#define TRIES_MOST 64

/* What is expected of a connection that is still to be made: packets of 27 bytes both ways on 1M. */
#define EXPECTED_NS (UINT64_C(2) * (296 + 150) * YS_NS_PER_US)

struct place {
    uint64_t at_ns;   /* after the first */
    uint64_t unit_ns; /* of an exchange as it has had them */
    uint64_t need_ns; /* of the longest that it may have */
    uint64_t most_ns; /* that an event may last */
    bool busy;
};

struct round {
    uint64_t length_ns;
    size_t count; /* of the others */
    struct place others[LINKS];
    struct place own;
};

/* How good it is; less is better. */
struct score {
    unsigned crowded;   /* connections that have not even time for one exchange */
    uint32_t exchanges; /* of busy ones */
    uint64_t squares;   /* of the exchanges of each: the more even, the less */
};

static uint16_t common_divisor(uint16_t a, uint16_t b)
{
    while (b != 0) {
        uint16_t rest = a % b;
        a = b;
        b = rest;
    }
    return a;
}

static struct place place_of(const struct link *link)
{
    uint64_t unit_ns = link->usage.exchange_ns > 0 ? link->usage.exchange_ns : link_data_exchange_ns(link);
    return (struct place){.unit_ns = unit_ns,
                          .need_ns = link->exchange_ns,
                          .most_ns = link->event_length_ns > 0 ? link->event_length_ns : UINT64_MAX,
                          .busy = link->usage.busy};
}

/* The others in the order in which they come. */
static void gather(struct round *round, const struct ys_controller *controller, const struct link *link, uint64_t at_ns,
                   uint16_t interval)
{
    uint16_t steps = interval;
    for (size_t i = 0; i < controller->link_count; i++) {
        const struct link *other = controller->links[i];
        if (other != link && other->used && other->central)
            steps = common_divisor(steps, other->parameters.interval);
    }
    *round = (struct round){.length_ns = steps * NS_PER_INTERVAL_STEP};
    round->own =
        link != NULL
            ? place_of(link)
            : (struct place){.unit_ns = EXPECTED_NS, .need_ns = EXPECTED_NS, .most_ns = UINT64_MAX, .busy = true};
    for (size_t i = 0; i < controller->link_count; i++) {
        const struct link *other = controller->links[i];
        if (other == link || !other->used || !other->central)
            continue;
        struct place place = place_of(other);
        uint64_t span_ns = round->length_ns;
        place.at_ns = other->anchor_ns >= at_ns ? (other->anchor_ns - at_ns) % span_ns
                                                : (span_ns - (at_ns - other->anchor_ns) % span_ns) % span_ns;
        size_t k = round->count++;
        for (; k > 0 && round->others[k - 1].at_ns > place.at_ns; k--)
            round->others[k] = round->others[k - 1];
        round->others[k] = place;
    }
}

static void add(struct score *score, const struct place *place, uint64_t room_ns)
{
    score->crowded += room_ns < place->need_ns;
    if (!place->busy || room_ns < place->need_ns)
        return;
    uint64_t exchanges = (room_ns < place->most_ns ? room_ns : place->most_ns) / place->unit_ns;
    score->exchanges += (uint32_t)exchanges;
    score->squares += exchanges * exchanges;
}

/* How good it is if the connection has its events so much after the first place. */
static struct score judge(const struct round *round, uint64_t at_ns)
{
    struct score score = {0};
    for (size_t i = 0; i < round->count; i++) {
        const struct place *place = &round->others[i];
        uint64_t next_ns =
            i + 1 < round->count ? round->others[i + 1].at_ns : round->others[0].at_ns + round->length_ns;
        uint64_t own_ns = at_ns < place->at_ns ? at_ns + round->length_ns : at_ns;
        if (own_ns < next_ns) {
            add(&score, &round->own, next_ns - own_ns);
            next_ns = own_ns;
        }
        add(&score, place, next_ns - place->at_ns);
    }
    return score;
}

static bool is_better(const struct score *one, const struct score *other)
{
    if (one->crowded != other->crowded)
        return one->crowded < other->crowded;
    if (one->exchanges != other->exchanges)
        return one->exchanges > other->exchanges;
    return EVENER * one->squares < (EVENER - 1) * other->squares;
}

uint64_t places_later_ns(const struct ys_controller *controller, const struct link *link, uint64_t at_ns,
                         uint16_t interval)
{
    struct round round;
    uint64_t best_ns = 0;
    if (controller->character.scatters)
        return 0;
    gather(&round, controller, link, at_ns, interval);
    if (round.count == 0)
        return 0;
    struct score best = judge(&round, 0);
    for (size_t i = 0; i < round.count; i++) {
        const struct place *before = &round.others[i];
        uint64_t next_ns = i + 1 < round.count ? round.others[i + 1].at_ns : round.others[0].at_ns + round.length_ns;
        uint64_t units = (next_ns - before->at_ns) / before->unit_ns;
        uint64_t step_ns = (units / TRIES_MOST + 1) * before->unit_ns;
        for (uint64_t ns = before->at_ns + step_ns; ns < next_ns; ns += step_ns) {
            struct score score = judge(&round, ns % round.length_ns);
            if (!is_better(&score, &best))
                continue;
            best = score;
            best_ns = ns % round.length_ns;
        }
    }
    return best_ns;
}

void places_note_exchange(struct link *link)
{
    struct usage *usage = &link->usage;
    uint64_t now_ns = ys_clock_now_ns(link_clock(link));
    if (link->exchanges > 0 && usage->began_ns > 0 && now_ns - usage->began_ns > usage->longest_ns)
        usage->longest_ns = now_ns - usage->began_ns;
    usage->began_ns = now_ns;
}

/* Whether one of its connections is being moved, or is to be. */
static bool moves(const struct ys_controller *controller)
{
    for (size_t i = 0; i < controller->link_count; i++) {
        const struct link *link = controller->links[i];
        if (link->used && link->central && (procedures_are_busy(link) || link->procedures.wanted != 0))
            return true;
    }
    return false;
}

void places_consider(struct link *link)
{
    struct usage *usage = &link->usage;
    if (!link->central)
        return;
    usage->cut = usage->cut || link->pdu.more || link->peer_has_more;
    if (++usage->events < LOOK_EVENTS)
        return;
    usage->events = 0;
    usage->busy = usage->cut;
    usage->cut = false;
    if (usage->longest_ns > 0)
        usage->exchange_ns = usage->longest_ns;
    usage->longest_ns = 0;
    if (moves(link->controller) ||
        places_later_ns(link->controller, link, link->anchor_ns, link->parameters.interval) == 0)
        return;
    link->procedures.parameters = (struct ys_hci_parameters){.interval_min = link->parameters.interval,
                                                             .interval_max = link->parameters.interval,
                                                             .latency = link->parameters.latency,
                                                             .timeout = link->parameters.timeout};
    link->procedures.moves = true;
    procedures_want(link, PROCEDURE_UPDATE);
}
