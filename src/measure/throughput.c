/* What a connection can carry, by calculation. */
#include "measure/throughput.h"

#include <math.h>
#include <stddef.h>

#define ATT_HEADER   3
#define L2CAP_HEADER 4
#define NS_PER_US    UINT64_C(1000)

/* The longest frame in packets: 65,535 bytes in packets of one byte would be as many. */
#define PACKETS_MOST 2428

uint16_t ys_link_att_frame(uint16_t value_bytes)
{
    return (uint16_t)(value_bytes + ATT_HEADER + L2CAP_HEADER);
}

static uint64_t empty_ns(const struct ys_link_shape *shape)
{
    return ys_link_duration_ns(shape->answer_phy, 2);
}

static uint64_t exchange_ns(const struct ys_link_shape *shape, size_t data)
{
    size_t length = 2 + data + (shape->encrypted ? YS_LINK_MIC_SIZE : 0);
    return ys_link_duration_ns(shape->data_phy, length) + empty_ns(shape) + 2 * YS_LINK_INTER_FRAME_SPACE_NS;
}

static uint8_t packet_length(const struct ys_link_shape *shape)
{
    uint16_t us = ys_link_time_us(shape->data_phy, shape->answer_phy, shape->interval_us, YS_LINK_TIME_MAX_US);
    return ys_link_payload_agreed(shape->data_phy, shape->packet_length, us);
}

/* From an anchor to the end of the last packet. */
static uint64_t room_ns(const struct ys_link_shape *shape)
{
    uint64_t room = shape->interval_us * NS_PER_US - YS_LINK_INTER_FRAME_SPACE_NS;
    uint64_t most = shape->event_length_us * NS_PER_US;
    return most != 0 && most < room ? most : room;
}

/* The data of the packet of a frame with this index. */
static size_t part(const struct ys_link_shape *shape, const struct ys_link_limit *limit, size_t index)
{
    size_t before = index * limit->packet_length;
    size_t left = shape->frame_bytes - before;
    return left < limit->packet_length ? left : limit->packet_length;
}

/* Packs exchanges into one event, from this packet of a frame on: returns how many frames it ends. The first exchange
 * goes, however short the event is; the last needs no T_IFS behind it. */
static size_t pack(const struct ys_link_shape *shape, const struct ys_link_limit *limit, size_t *index, size_t *packets,
                   uint64_t *used_ns)
{
    uint64_t at_ns = 0;
    size_t frames = 0;
    for (;;) {
        uint64_t takes_ns = exchange_ns(shape, part(shape, limit, *index));
        if (at_ns > 0 && at_ns + takes_ns - YS_LINK_INTER_FRAME_SPACE_NS > limit->event_room_ns)
            break;
        at_ns += takes_ns;
        ++*packets;
        if (++*index < limit->packets)
            continue;
        *index = 0;
        frames++;
        if (shape->confirmed) /* the next one waits for its answer, which comes with the next event */
            break;
    }
    *used_ns += at_ns > 0 ? at_ns - YS_LINK_INTER_FRAME_SPACE_NS : 0;
    return frames;
}

/* Without loss events repeat after a while: as soon as one begins with a packet with which one has begun before. */
static void limit_without_loss(const struct ys_link_shape *shape, struct ys_link_limit *limit)
{
    size_t index = 0;
    size_t frames = 0;
    size_t packets = 0;
    size_t events = 0;
    uint64_t used_ns = 0;
    size_t warm_up = limit->packets; /* by then it is in its cycle, and so it is after as many rounds more */
    for (size_t i = 0; i < warm_up; i++)
        (void)pack(shape, limit, &index, &packets, &used_ns);
    size_t first = index;
    packets = 0;
    used_ns = 0;
    do {
        frames += pack(shape, limit, &index, &packets, &used_ns);
        events++;
    } while (index != first);
    double seconds = (double)events * shape->interval_us / 1e6;
    limit->cycle = (uint16_t)events;
    limit->frames_hz = (double)frames / seconds;
    limit->exchanges = (double)packets / (double)events;
    limit->used = (double)used_ns / 1e9 / seconds;
}

/* With loss: who streams may or may not know that its last packet has arrived, and an event ends early when one side
 * gets two packets in a row wrong (Vol 6 Part B 4.5.6). */
enum { OPEN_STATES = 2 * 2 * 2, BAD_AT_CENTRAL = 1, BAD_AT_PERIPHERAL = 2, ARRIVED = 4 };

struct chain {
    double share[OPEN_STATES]; /* of the event still open, in this state */
    double closed[2];          /* that it is over, by whether the last packet has arrived */
    double delivered;
};

/* One exchange from a state, with the verdict on each of the two packets. */
static void exchange(const struct ys_link_shape *shape, struct chain *next, unsigned state, bool central_good,
                     bool peripheral_good, double share)
{
    bool arrived = (state & ARRIVED) != 0;
    bool second_at_peripheral = !central_good && (state & BAD_AT_PERIPHERAL) != 0;
    bool second_at_central = !peripheral_good && (state & BAD_AT_CENTRAL) != 0;
    if (second_at_peripheral) { /* it does not answer */
        next->closed[arrived] += share;
        return;
    }
    /* the peripheral streams: the central's packet acknowledges, then the peripheral's carries; else the other way */
    if (shape->by_central) {
        if (central_good && !arrived) {
            next->delivered += share;
            arrived = true;
        }
        if (peripheral_good && arrived)
            arrived = false; /* it is acknowledged: the next one is */
    } else {
        if (central_good)
            arrived = false;
        if (peripheral_good && !arrived) {
            next->delivered += share;
            arrived = true;
        }
    }
    if (second_at_central)
        next->closed[arrived] += share;
    else
        next->share[(arrived ? ARRIVED : 0) | (central_good ? 0 : BAD_AT_PERIPHERAL) |
                    (peripheral_good ? 0 : BAD_AT_CENTRAL)] += share;
}

/* One event of at most `exchanges`, which begins with a packet that has arrived or has not. */
static void run_event(const struct ys_link_shape *shape, size_t exchanges, bool arrived, struct chain *end)
{
    struct chain now = {.delivered = 0};
    now.share[arrived ? ARRIVED : 0] = 1;
    for (size_t i = 0; i < exchanges; i++) {
        struct chain next = {.closed = {now.closed[0], now.closed[1]}, .delivered = now.delivered};
        for (unsigned state = 0; state < OPEN_STATES; state++) {
            for (unsigned verdicts = 0; verdicts < 4 && now.share[state] > 0; verdicts++) {
                bool central_good = (verdicts & 1) != 0;
                bool peripheral_good = (verdicts & 2) != 0;
                double likely =
                    (central_good ? 1 - shape->loss : shape->loss) * (peripheral_good ? 1 - shape->loss : shape->loss);
                exchange(shape, &next, state, central_good, peripheral_good, now.share[state] * likely);
            }
        }
        now = next;
    }
    for (unsigned state = 0; state < OPEN_STATES; state++)
        now.closed[(state & ARRIVED) != 0] += now.share[state];
    *end = now;
}

/* The mean number of packets that arrive in an event. */
static double expect_packets(const struct ys_link_shape *shape, double exchanges)
{
    double result[2];
    for (int i = 0; i < 2; i++) { /* between two whole numbers in proportion */
        struct chain from[2];
        size_t count = (size_t)exchanges + (size_t)i;
        run_event(shape, count, false, &from[0]);
        run_event(shape, count, true, &from[1]);
        double leaves = from[0].closed[1]; /* from one that has not arrived to one that has, and back */
        double comes = from[1].closed[0];
        double arrived = leaves + comes > 0 ? leaves / (leaves + comes) : 0;
        result[i] = arrived * from[1].delivered + (1 - arrived) * from[0].delivered;
    }
    double fraction = exchanges - floor(exchanges);
    return result[0] * (1 - fraction) + result[1] * fraction;
}

void ys_link_limit(const struct ys_link_shape *shape, struct ys_link_limit *limit)
{
    *limit = (struct ys_link_limit){.packet_length = packet_length(shape), .event_room_ns = room_ns(shape)};
    limit->packets = (uint16_t)((shape->frame_bytes + limit->packet_length - 1u) / limit->packet_length);
    limit->packets = limit->packets < PACKETS_MOST ? limit->packets : PACKETS_MOST;
    limit->exchange_ns = exchange_ns(shape, limit->packet_length);
    limit_without_loss(shape, limit);
    if (shape->loss > 0) {
        double share = expect_packets(shape, limit->exchanges) / limit->exchanges;
        limit->frames_hz *= share;
    }
    limit->goodput_bps = limit->frames_hz * shape->value_bytes * 8;
}

void ys_link_expect_latency(const struct ys_link_shape *shape, uint16_t latency, struct ys_link_latency *expected)
{
    struct ys_link_limit limit;
    ys_link_limit(shape, &limit);
    uint64_t takes_ns = 0;
    for (size_t i = 0; i < limit.packets; i++)
        takes_ns += exchange_ns(shape, part(shape, &limit, i));
    takes_ns -= YS_LINK_INTER_FRAME_SPACE_NS;
    if (shape->by_central) /* the data comes before its acknowledgement */
        takes_ns -= empty_ns(shape) + YS_LINK_INTER_FRAME_SPACE_NS;
    double takes_ms = (double)takes_ns / 1e6;
    double wait_ms = (shape->by_central ? 1.0 + latency : 1.0) * shape->interval_us / 1000;
    *expected = (struct ys_link_latency){
        .median_ms = 0.5 * wait_ms + takes_ms, .p95_ms = 0.95 * wait_ms + takes_ms, .max_ms = wait_ms + takes_ms};
}

double ys_link_strength_dbm(const struct ys_link_budget *budget)
{
    double distance_m = budget->distance_m > 1 ? budget->distance_m : 1;
    return budget->power_dbm - budget->loss_at_1m_db - 10 * budget->exponent * log10(distance_m);
}

double ys_link_margin_db(const struct ys_link_budget *budget)
{
    return ys_link_strength_dbm(budget) - budget->sensitivity_dbm;
}
