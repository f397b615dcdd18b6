/* Figures from a capture. A first replay finds what is to be measured, a second one measures it. */
#include "experiment/recorded.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>

#include "capture/follow/follow.h"

#define NAMED_MOST  6
#define SHARE_LEAST 1e-6 /* of packets that were missed, where some surely were */

/* advertising */

struct advertisers {
    uint64_t *packets; /* by the number of their party */
    struct ys_party **parties;
    size_t count;
    uint64_t joined; /* connections whose beginning was not heard */
    bool any;
    uint64_t first_ns;
    uint64_t last_ns;
};

static bool is_advertisement(const struct ys_seen *seen)
{
    if (seen->kind == YS_SEEN_EXTENDED)
        return seen->good && seen->extended.has_sender;
    return seen->kind == YS_SEEN_ADVERTISING && seen->good && seen->legacy.type != YS_LINK_SCAN_REQ &&
           seen->legacy.type != YS_LINK_CONNECT_IND && seen->legacy.type != YS_LINK_SCAN_RSP;
}

static void count_advertisers(void *context, const struct ys_seen *seen)
{
    struct advertisers *advertisers = context;
    if (!advertisers->any)
        advertisers->first_ns = seen->record->at_ns;
    advertisers->any = true;
    uint64_t end_ns = seen->record->at_ns + (seen->record->kind == YS_RECORD_AIR ? seen->record->air.duration_ns : 0);
    if (end_ns > advertisers->last_ns)
        advertisers->last_ns = end_ns;
    advertisers->joined += seen->kind == YS_SEEN_LINK && !seen->link->begun && seen->link->packets == 1;
    if (!is_advertisement(seen) || seen->from == NULL)
        return;
    if (advertisers->packets[seen->from->number]++ == 0)
        advertisers->parties[advertisers->count++] = seen->from;
}

static bool is_called(const struct ys_party *party, const char *wanted)
{
    char text[YS_ADDRESS_TEXT_SIZE];
    return strcasecmp(party->name, wanted) == 0 ||
           (strlen(wanted) == 17 && strncasecmp(ys_address_format(&party->address, text), wanted, 17) == 0);
}

/* Whom to watch; NULL, with the problem. */
static const struct ys_party *choose(const struct advertisers *advertisers, const struct ys_design *design,
                                     const char *wanted, char problem[YS_PROBLEM_SIZE])
{
    const char *name = wanted != NULL ? wanted : design->name.text;
    for (size_t i = 0; i < advertisers->count; i++) {
        if (is_called(advertisers->parties[i], name))
            return advertisers->parties[i];
    }
    if (wanted == NULL && advertisers->count == 1)
        return advertisers->parties[0];
    int length = snprintf(problem, YS_PROBLEM_SIZE, "%s", advertisers->count == 0 ? "nobody advertises in it" : "");
    if (advertisers->count > 0)
        length = snprintf(problem, YS_PROBLEM_SIZE,
                          "the capture has no advertiser \"%s\": choose one with --advertiser:", name);
    for (size_t i = 0; i < advertisers->count && i < NAMED_MOST && length < YS_PROBLEM_SIZE; i++)
        length += snprintf(problem + length, (size_t)(YS_PROBLEM_SIZE - length), "%s %s", i > 0 ? "," : "",
                           advertisers->parties[i]->name);
    if (advertisers->count > NAMED_MOST && length < YS_PROBLEM_SIZE)
        (void)snprintf(problem + length, (size_t)(YS_PROBLEM_SIZE - length), ", and others");
    return NULL;
}

static void meter_packet(void *context, const struct ys_seen *seen)
{
    if (seen->kind == YS_SEEN_ADVERTISING || seen->kind == YS_SEEN_EXTENDED)
        ys_advertising_meter_take(context, &seen->record->air);
    else if (seen->kind == YS_SEEN_LINK)
        ys_advertising_meter_other(context);
}

static bool replay(const struct ys_recorded *recorded, ys_seen_fn *take, void *context)
{
    struct ys_follower *follower = ys_follower_new(take, context);
    if (follower == NULL)
        return false;
    if (recorded->keys != NULL)
        *ys_follower_keys(follower) = *recorded->keys;
    bool good = recorded->replay(recorded->context, ys_follower_take, follower);
    ys_follower_free(follower);
    return good;
}

static bool measure_advertiser(struct ys_recorded *recorded, const struct ys_design *design,
                               const struct ys_address *address, uint64_t joined, struct ys_interval_report *report)
{
    const struct ys_advertisement *set = design->sets;
    report->recorded = true;
    report->from_ns = recorded->from_ns < YS_SIMULATED_NS ? 0 : recorded->from_ns;
    report->air = (struct ys_advertising_meter){
        .advertiser = *address, .anonymous = set->anonymous, .interval_max_ns = set->interval_max_us * UINT64_C(1000)};
    if (!replay(recorded, meter_packet, &report->air))
        return false;
    double missed_share = ys_advertising_meter_missed(&report->air);
    if (joined > 0 && missed_share < SHARE_LEAST)
        missed_share = SHARE_LEAST;
    if (missed_share > 0) { /* again, with what that says of who has recorded */
        struct ys_advertising_meter again = {.advertiser = *address,
                                             .anonymous = set->anonymous,
                                             .interval_max_ns = report->air.interval_max_ns,
                                             .interval_min_ns = set->interval_min_us * UINT64_C(1000),
                                             .joined = joined,
                                             .missed_share = missed_share,
                                             .channels = report->air.channels_heard};
        ys_advertising_meter_free(&report->air);
        report->air = again;
        if (!replay(recorded, meter_packet, &report->air))
            return false;
    }
    ys_advertising_meter_end(&report->air, recorded->to_ns);
    report->seconds = (double)(recorded->to_ns - recorded->from_ns) / 1e9;
    report->connections =
        (uint32_t)(report->air.packets[YS_LINK_CONNECT_IND] + report->air.packets[YS_PACKET_AUX_CONNECT_REQ]);
    report->activity = ys_interval_activity(&report->air, set, report->seconds);
    return true;
}

bool ys_interval_of(struct ys_recorded *recorded, const struct ys_design *design, const char *advertiser,
                    void (*watched)(struct ys_recorded *recorded), struct ys_interval_report *report,
                    char problem[YS_PROBLEM_SIZE])
{
    struct advertisers advertisers = {.packets = calloc(YS_PARTIES_MOST, sizeof *advertisers.packets),
                                      .parties = calloc(YS_PARTIES_MOST, sizeof(struct ys_party *))};
    struct ys_address address = {.type = 0};
    *report = (struct ys_interval_report){.seconds = 0};
    problem[0] = '\0';
    struct ys_follower *follower = ys_follower_new(count_advertisers, &advertisers);
    bool good = follower != NULL && advertisers.packets != NULL && advertisers.parties != NULL &&
                recorded->replay(recorded->context, ys_follower_take, follower);
    if (good) {
        const struct ys_party *party = choose(&advertisers, design, advertiser, problem);
        good = party != NULL || design->sets->anonymous;
        if (party != NULL)
            address = party->address;
    }
    watched(recorded);
    if (!recorded->watched) { /* then that is all that is known */
        recorded->from_ns = advertisers.first_ns;
        recorded->to_ns = advertisers.last_ns;
    }
    ys_follower_free(follower);
    free(advertisers.packets);
    free(advertisers.parties);
    return good && measure_advertiser(recorded, design, &address, advertisers.joined, report);
}

/* streams */

/* Values of one handle that one side of a connection sends in one way. */
struct flow {
    uint64_t link;
    uint32_t access_address;
    int side;
    uint8_t opcode;
    uint16_t handle;
    uint64_t values;
    uint64_t bytes;
    size_t longest;
    uint64_t first_ns;
    uint64_t last_ns;
    uint64_t first_bytes;
    /* of the connection, when its last value came */
    uint32_t interval_us;
    uint16_t latency;
    uint16_t mtu;
    enum ys_phy phys[2];
    uint8_t packet_length;
    bool encrypted;
    struct ys_recorded_basis basis;
};

struct flows {
    struct flow *items;
    size_t count;
    bool any;
    uint64_t origin_ns;
    uint64_t unreadable;
};

static bool carries(uint8_t opcode)
{
    return opcode == YS_ATT_NOTIFICATION || opcode == YS_ATT_INDICATION || opcode == YS_ATT_WRITE_COMMAND ||
           opcode == YS_ATT_WRITE_REQUEST;
}

static struct flow *flow_of(struct flows *flows, const struct ys_seen *seen)
{
    const struct ys_said *said = seen->said;
    for (size_t i = 0; i < flows->count; i++) {
        struct flow *flow = &flows->items[i];
        if (flow->link == seen->link->number && flow->side == seen->packet.side && flow->opcode == said->att.opcode &&
            flow->handle == said->att.handle)
            return flow;
    }
    struct flow *grown = realloc(flows->items, (flows->count + 1) * sizeof *grown);
    if (grown == NULL)
        return NULL;
    flows->items = grown;
    struct flow *flow = &grown[flows->count++];
    *flow = (struct flow){.link = seen->link->number,
                          .access_address = seen->link->access_address,
                          .side = seen->packet.side,
                          .opcode = said->att.opcode,
                          .handle = said->att.handle};
    return flow;
}

static bool is_value(const struct ys_seen *seen)
{
    const struct ys_said *said = seen->said;
    return seen->kind == YS_SEEN_LINK && said->upper == YS_UPPER_ATT && said->verdict == YS_ATT_GOOD &&
           carries(said->att.opcode);
}

static uint64_t end_of(const struct ys_seen *seen)
{
    return seen->record->air.start_ns + seen->record->air.duration_ns;
}

/* The longest packets that were agreed, or else that were heard: where frames are cut into pieces, those fill them. */
static uint8_t packet_length(const struct ys_air_link *link, int side, bool *known)
{
    const struct ys_link_lengths *own = &link->ends[side].lengths;
    const struct ys_link_lengths *other = &link->ends[!side].lengths;
    *known = (link->begun && link->holes == 0) || (own->send_octets != 0 && other->receive_octets != 0);
    if (!*known)
        return link->longest[side] > YS_LINK_PAYLOAD_DEFAULT ? link->longest[side] : YS_LINK_PAYLOAD_DEFAULT;
    if (own->send_octets == 0 || other->receive_octets == 0)
        return YS_LINK_PAYLOAD_DEFAULT;
    uint16_t octets = own->send_octets < other->receive_octets ? own->send_octets : other->receive_octets;
    uint16_t us = own->send_us < other->receive_us ? own->send_us : other->receive_us;
    return ys_link_payload_agreed(link->phys[side], octets,
                                  ys_link_time_us(link->phys[side], link->phys[!side], link->interval_us, us));
}

/* The state of a flow's connection at its latest value. */
static void note_link(struct flow *flow, const struct ys_air_link *link)
{
    flow->interval_us = link->interval_us > 0 ? link->interval_us : flow->interval_us;
    flow->latency = link->latency;
    flow->mtu = ys_dialogue_mtu(&link->dialogue);
    flow->phys[0] = link->phys[0];
    flow->phys[1] = link->phys[1];
    flow->packet_length = packet_length(link, flow->side, &flow->basis.knows_lengths);
    flow->encrypted = link->is_encrypted;
    flow->basis.beginning_heard = link->begun;
    flow->basis.interval_is_learned = link->interval_is_learned;
    flow->basis.knows_mtu = link->dialogue.mtu_is_sure;
}

static void find_flows(void *context, const struct ys_seen *seen)
{
    struct flows *flows = context;
    if (!flows->any)
        flows->origin_ns = seen->record->at_ns < YS_SIMULATED_NS ? 0 : seen->record->at_ns;
    flows->any = true;
    flows->unreadable += seen->kind == YS_SEEN_LINK && seen->packet.readable == YS_READ_NOT;
    struct flow *flow = is_value(seen) ? flow_of(flows, seen) : NULL;
    if (flow == NULL)
        return;
    if (flow->values++ == 0) {
        flow->first_ns = end_of(seen);
        flow->first_bytes = seen->said->att.length;
    }
    flow->bytes += seen->said->att.length;
    if (seen->said->att.length > flow->longest)
        flow->longest = seen->said->att.length;
    flow->last_ns = end_of(seen);
    note_link(flow, seen->link);
}

struct measuring {
    const struct flow *flow;
    struct ys_throughput_report *report;
    uint64_t from_ns;
    uint64_t to_ns;
    /* a value whose last packet is not acknowledged yet */
    bool waits;
    bool sequence;
    uint64_t arrives_ns;
    uint64_t length;
};

static bool is_within(const struct measuring *measuring, uint64_t at_ns)
{
    return at_ns > measuring->from_ns && at_ns <= measuring->to_ns;
}

/* It has arrived with its last copy so far. */
static void arrive(struct measuring *measuring)
{
    if (measuring->waits && is_within(measuring, measuring->arrives_ns)) {
        measuring->report->values++;
        measuring->report->value_bytes += measuring->length;
    }
    measuring->waits = false;
}

static void follow_value(struct measuring *measuring, const struct ys_seen *seen)
{
    const struct flow *flow = measuring->flow;
    const struct ys_link_seen *packet = &seen->packet;
    if (packet->side != flow->side) {
        if (packet->data.next_expected != measuring->sequence)
            arrive(measuring);
        return;
    }
    if (measuring->waits && packet->repeated) {
        measuring->arrives_ns = end_of(seen);
        return;
    }
    arrive(measuring);
    if (!is_value(seen) || seen->said->att.opcode != flow->opcode || seen->said->att.handle != flow->handle)
        return;
    measuring->waits = true;
    measuring->sequence = packet->data.sequence;
    measuring->arrives_ns = end_of(seen);
    measuring->length = seen->said->att.length;
}

static void measure_flow(void *context, const struct ys_seen *seen)
{
    struct measuring *measuring = context;
    if (seen->kind != YS_SEEN_LINK || !seen->good || seen->link->number != measuring->flow->link)
        return;
    if (is_within(measuring, end_of(seen))) {
        struct ys_air_packet packet = seen->record->air;
        packet.side = seen->packet.side == 0 ? YS_AIR_CENTRAL : YS_AIR_PERIPHERAL;
        struct ys_link_meter *air = &measuring->report->air;
        bool first = seen->packet.new_event || (air->events == 0 && seen->packet.side == 0);
        ys_link_meter_take_as(air, &packet, first, seen->packet.repeated);
        measuring->report->basis.holes += seen->packet.hole && seen->packet.hole_is_shown;
    }
    follow_value(measuring, seen);
}

static void fill_shape(const struct flow *flow, const struct ys_throughput_plan *plan,
                       struct ys_throughput_report *report)
{
    report->shape = (struct ys_link_shape){
        .data_phy = flow->phys[flow->side],
        .answer_phy = flow->phys[!flow->side],
        .interval_us = flow->interval_us,
        .event_length_us = plan->event_length_us,
        .packet_length = flow->packet_length,
        .encrypted = flow->encrypted,
        .by_central = flow->side == 0,
        .confirmed = flow->opcode == YS_ATT_INDICATION || flow->opcode == YS_ATT_WRITE_REQUEST,
        .value_bytes = (uint16_t)flow->longest,
        .frame_bytes = ys_link_att_frame((uint16_t)flow->longest),
    };
    report->mtu = flow->mtu;
    if (flow->interval_us == 0 || flow->longest == 0)
        return;
    ys_link_limit(&report->shape, &report->limit);
    ys_link_expect_latency(&report->shape, flow->latency, &report->alone);
    report->limit_bps = report->limit.goodput_bps;
}

static void fill_plan(const struct flow *flow, double seconds, struct ys_throughput_plan *plan)
{
    plan->carrier = flow->opcode == YS_ATT_NOTIFICATION    ? YS_CARRIER_NOTIFICATIONS
                    : flow->opcode == YS_ATT_INDICATION    ? YS_CARRIER_INDICATIONS
                    : flow->opcode == YS_ATT_WRITE_COMMAND ? YS_CARRIER_COMMANDS
                                                           : YS_CARRIER_REQUESTS;
    plan->value_bytes = (uint16_t)flow->longest;
    plan->phy = flow->phys[flow->side];
    plan->packet_length = flow->packet_length;
    plan->mtu = flow->mtu;
    plan->interval_us = flow->interval_us;
    plan->latency = flow->latency;
    plan->encrypted = flow->encrypted;
    plan->loss = 0;
    plan->seconds = (uint32_t)(seconds + 0.999);
    plan->distance_m = 0;
}

/* From the end of a packet until the receiver is on, which is so long before a packet may come. */
#define TURNS_S 134e-6
#define EARLY_S 16e-6

/* The activity of the peripheral, as far as the air shows it: it attended an event if it sent in it. Its receiver was
 * on while the central sent, and around each anchor for as long as two clocks of 50 ppm may differ. */
static struct ys_activity activity_of(const struct flow *flow, const struct ys_link_meter *air, double seconds)
{
    const struct ys_link_side *own = &air->sides[1];
    double again =
        (double)(own->packets - own->events); /* it listens again after all but the last packet of an event */
    double apart_s = own->events > 0 ? seconds / (double)own->events : 0;
    double widening_s = flow->interval_us > 0 ? 16e-6 + apart_s * 100e-6 : 0;
    return (struct ys_activity){
        .seconds = seconds,
        .events = own->events,
        .transmit_s = {(double)own->on_air_ns / 1e9},
        .turn_s = (double)own->packets * YS_LINK_INTER_FRAME_SPACE_NS / 1e9 + again * TURNS_S,
        .receive_s = (double)air->heard_ns / 1e9 + (double)own->events * widening_s + again * EARLY_S,
    };
}

static void fill_report(const struct flow *flow, const struct measuring *measuring,
                        const struct ys_throughput_plan *plan)
{
    struct ys_throughput_report *report = measuring->report;
    double seconds = (double)(measuring->to_ns - measuring->from_ns) / 1e9;
    report->recorded = true;
    report->basis.beginning_heard = flow->basis.beginning_heard;
    report->basis.interval_is_learned = flow->basis.interval_is_learned;
    report->basis.knows_mtu = flow->basis.knows_mtu;
    report->basis.knows_lengths = flow->basis.knows_lengths;
    report->seconds = seconds;
    report->goodput_bps = seconds > 0 ? (double)report->value_bytes * 8 / seconds : 0;
    report->ratio = report->limit_bps > 0 ? report->goodput_bps / report->limit_bps : 0;
    report->used = flow->interval_us > 0 ? ys_link_meter_used(&report->air, flow->interval_us) : 0;
    if (seconds > 0)
        report->airtime = (double)(report->air.sides[0].on_air_ns + report->air.sides[1].on_air_ns) / 1e9 / seconds;
    report->activity = activity_of(flow, &report->air, seconds);
    ys_throughput_charge(plan, report);
}

bool ys_throughput_of(struct ys_recorded *recorded, struct ys_recorded_stream *stream, struct ys_throughput_plan *plan,
                      struct ys_throughput_report *report, char problem[YS_PROBLEM_SIZE])
{
    struct flows flows = {.count = 0};
    const struct flow *most = NULL;
    *report = (struct ys_throughput_report){.ended = false};
    problem[0] = '\0';
    bool good = replay(recorded, find_flows, &flows);
    for (size_t i = 0; i < flows.count && good; i++) {
        const struct flow *flow = &flows.items[i];
        if ((stream->handle == 0 || stream->handle == flow->handle) && (most == NULL || flow->bytes > most->bytes))
            most = flow;
    }
    if (good && most == NULL)
        (void)snprintf(problem, YS_PROBLEM_SIZE, "no values%s go over the air in it%s",
                       stream->handle != 0 ? " of that characteristic" : "",
                       flows.unreadable > 0 ? " that can be read: give their key by --key or --bonds" : "");
    good = good && most != NULL;
    if (good) {
        struct measuring measuring = {
            .flow = most, .report = report, .from_ns = most->first_ns, .to_ns = most->last_ns};
        if (stream->has_from)
            measuring.from_ns = flows.origin_ns + (uint64_t)(stream->from_s * 1e9 + 0.5);
        if (stream->has_to)
            measuring.to_ns = flows.origin_ns + (uint64_t)(stream->to_s * 1e9 + 0.5);
        if (measuring.from_ns > measuring.to_ns)
            measuring.from_ns = measuring.to_ns; /* nothing is measured, over no time */
        stream->handle = most->handle;
        report->from_s = (double)(measuring.from_ns - flows.origin_ns) / 1e9;
        report->air.access_address = most->access_address;
        fill_plan(most, (double)(measuring.to_ns - measuring.from_ns) / 1e9, plan);
        fill_shape(most, plan, report);
        good = replay(recorded, measure_flow, &measuring);
        arrive(&measuring);
        fill_report(most, &measuring, plan);
    }
    free(flows.items);
    return good;
}
