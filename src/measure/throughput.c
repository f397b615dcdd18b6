/* What a connection can carry, by calculation. */
#include "measure/throughput.h"

#include <math.h>
#include <stddef.h>

#include "measure/walk.h"

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

static uint16_t packets_of(const struct ys_link_shape *shape, uint8_t length)
{
    uint16_t packets = (uint16_t)((shape->frame_bytes + length - 1u) / length);
    return packets < PACKETS_MOST ? packets : PACKETS_MOST;
}

/* The data of the packet of a frame with this index. */
static size_t part(const struct ys_link_shape *shape, const struct ys_link_limit *limit, size_t index)
{
    size_t before = index * limit->packet_length;
    size_t left = shape->frame_bytes - before;
    return left < limit->packet_length ? left : limit->packet_length;
}

/* Whether an exchange still goes in an event that has had so many, if it would end then. The first goes, however short
 * the event is; the last needs no T_IFS after it. */
static bool goes(const struct ys_link_shape *shape, const struct ys_link_limit *limit, unsigned in_event,
                 uint64_t end_ns)
{
    bool more = shape->exchanges_most == 0 || in_event < shape->exchanges_most;
    return in_event == 0 || (more && end_ns - YS_LINK_INTER_FRAME_SPACE_NS <= limit->event_room_ns);
}

/* Packs exchanges into one event, from this packet of a frame on: returns how many frames it ends. */
static size_t pack(const struct ys_link_shape *shape, const struct ys_link_limit *limit, size_t *index, size_t *packets,
                   uint64_t *used_ns)
{
    uint64_t at_ns = 0;
    size_t frames = 0;
    unsigned in_event = 0;
    for (;;) {
        uint64_t takes_ns = exchange_ns(shape, part(shape, limit, *index));
        if (!goes(shape, limit, in_event, at_ns + takes_ns))
            break;
        at_ns += takes_ns;
        ++*packets;
        in_event++;
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

void ys_link_limit(const struct ys_link_shape *shape, struct ys_link_limit *limit)
{
    *limit = (struct ys_link_limit){.packet_length = packet_length(shape), .event_room_ns = room_ns(shape)};
    limit->packets = packets_of(shape, limit->packet_length);
    limit->exchange_ns = exchange_ns(shape, limit->packet_length);
    limit_without_loss(shape, limit);
    bool answers = shape->confirmed && (shape->latency > 0 || shape->turn_us[0] + shape->turn_us[1] > 0);
    if (shape->loss > 0 || shape->bit_errors > 0 || shape->at_margin || answers || shape->back_frame_bytes > 0) {
        struct ys_walked walked;
        ys_link_walk(shape, limit->packet_length, &walked);
        limit->frames_hz = walked.frames_hz[0];
        limit->back_bps = walked.frames_hz[1] * shape->back_value_bytes * 8;
        limit->error = walked.error;
        limit->error_of_1s = walked.error_of_1s;
    }
    limit->goodput_bps = limit->frames_hz * shape->value_bytes * 8;
}

uint8_t ys_link_best_length(const struct ys_link_shape *shape, double *goodput_bps)
{
    uint8_t best = YS_LINK_PAYLOAD_DEFAULT;
    *goodput_bps = 0;
    for (unsigned length = YS_LINK_PAYLOAD_DEFAULT; length <= YS_LINK_PAYLOAD_MAX; length += 8) {
        struct ys_link_shape other = *shape;
        struct ys_link_limit limit;
        other.packet_length = (uint8_t)length;
        other.frame_bytes = (uint16_t)length;
        other.value_bytes = (uint16_t)(length - ATT_HEADER - L2CAP_HEADER);
        ys_link_limit(&other, &limit);
        if (limit.goodput_bps <= *goodput_bps)
            continue;
        *goodput_bps = limit.goodput_bps;
        best = (uint8_t)length;
    }
    return best;
}

/* How long the packets of one frame take from the anchor of their first event on: those that do not fit into one go
 * with the next. */
static uint64_t frame_ns(const struct ys_link_shape *shape, const struct ys_link_limit *limit)
{
    uint64_t event_ns = 0;
    uint64_t at_ns = 0;
    unsigned in_event = 0;
    for (size_t i = 0; i < limit->packets; i++) {
        uint64_t takes_ns = exchange_ns(shape, part(shape, limit, i));
        if (!goes(shape, limit, in_event, at_ns + takes_ns)) {
            event_ns += shape->interval_us * NS_PER_US;
            at_ns = 0;
            in_event = 0;
        }
        at_ns += takes_ns;
        in_event++;
    }
    return event_ns + at_ns - YS_LINK_INTER_FRAME_SPACE_NS;
}

void ys_link_expect_latency(const struct ys_link_shape *shape, uint16_t latency, struct ys_link_latency *expected)
{
    struct ys_link_limit limit = {.packet_length = packet_length(shape), .event_room_ns = room_ns(shape)};
    limit.packets = packets_of(shape, limit.packet_length);
    uint64_t takes_ns = frame_ns(shape, &limit);
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
