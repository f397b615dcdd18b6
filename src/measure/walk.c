/* A connection, walked through exchange by exchange (Core 5.4 Vol 6 Part B 4.5.1, 4.5.6, 4.5.9). */
#include "measure/walk.h"

#include <math.h>
#include <stddef.h>

#include "measure/errors.h"

#define NS_PER_US   UINT64_C(1000)
#define IFS_NS      YS_LINK_INTER_FRAME_SPACE_NS
#define BATCHES     20
#define WARM_UP     200
#define EVENTS_MOST 20000 /* of a batch; and at least as many exchanges, if they are fewer: */
#define EXCHANGES   20000 /* of a batch */
#define NEVER       UINT64_MAX

/* An answer to an indication, or to a write: one byte in an L2CAP frame. */
#define ANSWER_BYTES 5

enum { CENTRAL, PERIPHERAL };
enum outcome { MISSED, WRONG, GOOD };

/* One side of the connection. */
struct side {
    uint16_t frame_bytes; /* that it sends; 0: none */
    uint16_t left;        /* of the frame, without what is in flight */
    uint64_t next_ns;     /* when the next frame is there; NEVER: once the other side has answered */
    bool in_flight;
    bool arrived; /* what is in flight, and this side does not know it */
    uint16_t length;
    bool more; /* it has said so, */
    bool peer_more;
    bool peer_empty;
    unsigned wrong;  /* packets in a row in this event */
    uint64_t frames; /* of it that arrived */
};

/* What becomes of a packet, by its length. */
struct odds {
    bool known;
    double heard;
    double whole;
};

struct walk {
    const struct ys_link_shape *shape;
    struct odds odds[2][YS_LINK_PAYLOAD_MAX + 1];
    uint8_t packet_length;
    uint64_t chance;
    struct side sides[2];
    int sender;
    uint64_t now_ns;
    uint64_t anchor_ns;
    unsigned rests; /* events that the peripheral leaves out */
};

static double draw(struct walk *walk)
{
    walk->chance ^= walk->chance << 13;
    walk->chance ^= walk->chance >> 7;
    walk->chance ^= walk->chance << 17;
    return (double)(walk->chance >> 11) / 9007199254740992.0; /* 2^53 */
}

static enum ys_phy phy_of(const struct walk *walk, int side)
{
    return side == walk->sender ? walk->shape->data_phy : walk->shape->answer_phy;
}

static uint64_t lasts_ns(const struct walk *walk, int side, uint16_t data)
{
    size_t mic = data > 0 && walk->shape->encrypted ? YS_LINK_MIC_SIZE : 0;
    return ys_link_duration_ns(phy_of(walk, side), 2u + data + mic);
}

/* That a packet of a side is heard, and that it is then right. */
static struct odds odds_of(const struct walk *walk, int side, uint16_t data)
{
    const struct ys_link_shape *shape = walk->shape;
    size_t length = 2u + data + (data > 0 && shape->encrypted ? YS_LINK_MIC_SIZE : 0);
    enum ys_phy phy = phy_of(walk, side);
    struct odds odds = {.known = true, .heard = 1, .whole = 1 - shape->loss};
    if (shape->bit_errors > 0) {
        odds.heard *= pow(1 - shape->bit_errors, YS_SYNC_BITS);
        odds.whole *= pow(1 - shape->bit_errors, ys_bits_of(phy, length));
    }
    if (shape->at_margin) {
        double margin_db = shape->margin_db[side != walk->sender];
        odds.heard *= ys_packet_heard(phy, margin_db + (phy == YS_PHY_CODED_S2 ? shape->s8_gain_db : 0));
        odds.whole *= ys_packet_whole(phy, margin_db, length);
    }
    return odds;
}

/* What becomes of a packet of a side. */
static enum outcome outcome_of(struct walk *walk, int side, uint16_t data)
{
    struct odds *odds = &walk->odds[side][data];
    if (!odds->known)
        *odds = odds_of(walk, side, data);
    if (odds->heard < 1 && draw(walk) >= odds->heard)
        return MISSED;
    return odds->whole < 1 && draw(walk) >= odds->whole ? WRONG : GOOD;
}

/* The data that a side would send now; 0: none. */
static uint16_t next_data(const struct walk *walk, const struct side *side)
{
    uint16_t left = side->left;
    if (left == 0 && side->next_ns < walk->now_ns)
        left = side->frame_bytes;
    return left < walk->packet_length ? left : walk->packet_length;
}

static void take_data(const struct walk *walk, struct side *side, uint16_t data)
{
    if (side->left == 0) {
        side->left = side->frame_bytes;
        side->next_ns = walk->shape->confirmed ? NEVER : 0;
    }
    side->left = (uint16_t)(side->left - data);
}

static uint64_t end_ns(const struct walk *walk)
{
    uint64_t room_ns = walk->shape->interval_us * NS_PER_US - IFS_NS;
    uint64_t most_ns = walk->shape->event_length_us * NS_PER_US;
    return walk->anchor_ns + (most_ns != 0 && most_ns < room_ns ? most_ns : room_ns);
}

/* Sends the next packet of a side, if it fits; false if the one that waits for its acknowledgement does not. */
static bool send(struct walk *walk, int which, unsigned exchange)
{
    struct side *side = &walk->sides[which];
    uint64_t answer_ns = which == CENTRAL ? IFS_NS + lasts_ns(walk, PERIPHERAL, 0) : 0;
    if (!side->in_flight) {
        uint16_t data = next_data(walk, side);
        bool fits = exchange == 0 || walk->now_ns + lasts_ns(walk, which, data) + answer_ns <= end_ns(walk);
        side->length = fits ? data : 0;
        if (side->length > 0)
            take_data(walk, side, data);
        side->arrived = false;
        side->in_flight = true;
    } else if (exchange > 0 && walk->now_ns + lasts_ns(walk, which, side->length) + answer_ns > end_ns(walk)) {
        return false;
    }
    side->more = next_data(walk, side) > 0;
    return true;
}

/* A whole frame has come to the other side: it answers, or the answer lets the next frame go. */
static void frame_arrived(struct walk *walk, int from)
{
    struct side *other = &walk->sides[!from];
    walk->sides[from].frames++;
    if (walk->shape->confirmed)
        other->next_ns = walk->now_ns + walk->shape->turn_us[!from] * NS_PER_US;
}

/* A side hears what the other one has sent. */
static void hear(struct walk *walk, int from, enum outcome outcome)
{
    struct side *sender = &walk->sides[from];
    struct side *side = &walk->sides[!from];
    side->wrong = outcome == WRONG ? side->wrong + 1 : 0;
    side->peer_more = outcome == WRONG || sender->more;
    side->peer_empty = outcome == GOOD && sender->length == 0;
    if (outcome == WRONG)
        return;
    if (side->in_flight && side->arrived)
        side->in_flight = false;
    bool fresh = !sender->arrived;
    sender->arrived = true;
    if (fresh && sender->length > 0 && sender->left == 0)
        frame_arrived(walk, from);
}

static bool may_go_on(const struct walk *walk, unsigned exchanges)
{
    uint8_t most = walk->shape->exchanges_most;
    return (most == 0 || exchanges < most) &&
           walk->now_ns + lasts_ns(walk, CENTRAL, 0) + IFS_NS + lasts_ns(walk, PERIPHERAL, 0) <= end_ns(walk);
}

/* One event; returns its exchanges. */
static unsigned pass_event(struct walk *walk)
{
    struct side *central = &walk->sides[CENTRAL];
    struct side *peripheral = &walk->sides[PERIPHERAL];
    bool heard = false;
    unsigned exchanges = 0;
    central->wrong = peripheral->wrong = 0;
    central->peer_more = peripheral->peer_more = false;
    for (bool goes_on = true; goes_on;) {
        if (!send(walk, CENTRAL, exchanges))
            break;
        enum outcome outcome = outcome_of(walk, CENTRAL, central->length);
        walk->now_ns += lasts_ns(walk, CENTRAL, central->length);
        if (outcome == MISSED)
            break;
        heard = true;
        hear(walk, CENTRAL, outcome);
        walk->now_ns += IFS_NS;
        if (peripheral->wrong >= 2 || !send(walk, PERIPHERAL, exchanges))
            break;
        outcome = outcome_of(walk, PERIPHERAL, peripheral->length);
        walk->now_ns += lasts_ns(walk, PERIPHERAL, peripheral->length);
        exchanges++;
        bool listens = (peripheral->more || peripheral->peer_more) && may_go_on(walk, exchanges);
        if (outcome == MISSED)
            break;
        hear(walk, PERIPHERAL, outcome);
        walk->now_ns += IFS_NS;
        goes_on = listens && central->wrong < 2 && (central->more || central->peer_more) && may_go_on(walk, exchanges);
    }
    bool quiet = !peripheral->in_flight && next_data(walk, peripheral) == 0 && peripheral->left == 0;
    bool acknowledged = !peripheral->in_flight || peripheral->length == 0;
    walk->rests = heard && (quiet || acknowledged) && next_data(walk, peripheral) == 0 && !peripheral->peer_more
                      ? walk->shape->latency
                      : 0;
    return exchanges;
}

/* An event that the peripheral may skip while it has no data. */
static unsigned next_event(struct walk *walk)
{
    walk->now_ns = walk->anchor_ns;
    unsigned exchanges = 0;
    if (walk->rests > 0 && next_data(walk, &walk->sides[PERIPHERAL]) == 0)
        walk->rests--;
    else
        exchanges = pass_event(walk);
    walk->anchor_ns += walk->shape->interval_us * NS_PER_US;
    return exchanges;
}

void ys_link_walk(const struct ys_link_shape *shape, uint8_t packet_length, struct ys_walked *walked)
{
    struct walk walk = {.shape = shape,
                        .packet_length = packet_length,
                        .chance = UINT64_C(0x2545f4914f6cdd1d),
                        .anchor_ns = shape->interval_us * NS_PER_US,
                        .sender = shape->by_central ? CENTRAL : PERIPHERAL};
    double hz[2] = {0, 0};
    double squares = 0;
    double all_s = 0;
    walk.sides[walk.sender].frame_bytes = shape->frame_bytes;
    walk.sides[!walk.sender].frame_bytes = shape->confirmed ? ANSWER_BYTES : shape->back_frame_bytes;
    walk.sides[!walk.sender].next_ns = shape->confirmed ? NEVER : 0;
    for (int i = 0; i < WARM_UP; i++)
        (void)next_event(&walk);
    for (int batch = 0; batch < BATCHES; batch++) {
        const uint64_t before[2] = {walk.sides[walk.sender].frames, walk.sides[!walk.sender].frames};
        uint64_t from_ns = walk.anchor_ns;
        uint64_t in_batch = 0;
        for (unsigned i = 0; i < EVENTS_MOST && in_batch < EXCHANGES; i++)
            in_batch += next_event(&walk);
        double seconds = (double)(walk.anchor_ns - from_ns) / 1e9;
        all_s += seconds;
        double one = (double)(walk.sides[walk.sender].frames - before[0]) / seconds;
        hz[0] += one / BATCHES;
        hz[1] += (double)(walk.sides[!walk.sender].frames - before[1]) / seconds / BATCHES;
        squares += one * one / BATCHES;
    }
    double variance = fmax(squares - hz[0] * hz[0], 0) / (BATCHES - 1);
    *walked = (struct ys_walked){.frames_hz = {hz[0], shape->confirmed ? 0 : hz[1]},
                                 .error = hz[0] > 0 ? sqrt(variance) / hz[0] : 0,
                                 .error_of_1s = hz[0] > 0 ? sqrt(variance * all_s) / hz[0] : 0};
}
