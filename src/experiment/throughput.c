/* A stream over one or several connections: hosts on simulated controllers, devices with one characteristic and one
 * channel each, and a central. */
#include "experiment/throughput.h"

#include <math.h>
#include <stdio.h>
#include <stdlib.h>

#include "experiment/throughput_ends.h"
#include "experiment/throughput_flow.h"
#include "experiment/throughput_run.h"
#include "measure/errors.h"
#include "wire/att.h"
#include "world/activity.h"
#include "world/air.h"

/* A value changes so often while one is sent: whichever goes is a new one. */
#define CHANGES_A_FRAME 4

/* Single values that are sent, each at any time. */
#define SINGLES      100
#define SINGLES_LIVE 10 /* that somebody waits for */

/* The HCI packet around a piece of a frame, and the event that acknowledges one. */
#define HCI_BYTES 5

/* what is expected */

static uint32_t least_of(uint32_t one, uint32_t other)
{
    return one == 0 || (other != 0 && other < one) ? other : one;
}

static double line_s(uint32_t bps, double bytes)
{
    return bps > 0 ? 10 * bytes / bps : 0;
}

static uint32_t answer_us(const struct ys_hardware *hardware)
{
    return ys_hardware_character(hardware)->answer_us + hardware->thinks_us;
}

/* From a frame at a controller until the answer of its host is there. */
static uint32_t turn_us(const struct ys_hardware *hardware, uint16_t frame_bytes)
{
    return answer_us(hardware) + (uint32_t)(1e6 * line_s(hardware->line_bps, frame_bytes + 2.0 * HCI_BYTES + 5));
}

static struct ys_air_model model_of(const struct ys_throughput_plan *plan)
{
    struct ys_air air = ys_air_of(YS_AIR_OPEN);
    if (plan->by_levels)
        air.reception = YS_RECEPTION_LEVELS;
    return ys_air_model_of(&air, plan->seed);
}

/* The limit of its own serial line, in frames a second. */
static double line_hz(const struct ys_hardware *hardware, uint16_t frame_bytes)
{
    uint16_t length = ys_hardware_character(hardware)->buffer_length;
    double pieces = ceil((double)frame_bytes / length);
    double seconds = line_s(hardware->line_bps, frame_bytes + pieces * HCI_BYTES);
    return seconds > 0 ? 1 / seconds : INFINITY;
}

static void expect_latency(const struct run *run)
{
    const struct ys_throughput_plan *plan = run->plan;
    struct ys_throughput_report *report = run->report;
    const struct ys_hardware *sender = report->shape.by_central ? &plan->central : &plan->device;
    const struct ys_hardware *taker = report->shape.by_central ? &plan->device : &plan->central;
    double bytes = report->shape.frame_bytes + HCI_BYTES;
    double more_ms =
        1000 * (line_s(sender->line_bps, bytes) + line_s(taker->line_bps, bytes)) + answer_us(taker) / 1000.0;
    ys_link_expect_latency(&report->shape, plan->latency, &report->alone);
    report->alone.median_ms += more_ms;
    report->alone.p95_ms += more_ms;
    report->alone.max_ms += more_ms;
}

/* The length of a value that the agreed MTU allows. */
static uint16_t value_length(const struct run *run)
{
    const struct ys_throughput_plan *plan = run->plan;
    uint16_t mtu = run->report->mtu;
    uint16_t most = mtu - 3 < YS_ATT_VALUE_MAX ? (uint16_t)(mtu - 3) : YS_ATT_VALUE_MAX;
    if (ys_carrier_is_channel(plan->carrier))
        return MESSAGE_PACKETS * CHANNEL_PACKET - 2;
    return plan->carrier == YS_CARRIER_STREAM || plan->value_bytes > most ? most : plan->value_bytes;
}

static void place_shape(const struct run *run, struct ys_link_shape *shape)
{
    const struct ys_throughput_plan *plan = run->plan;
    if (plan->distance_m <= 0 || plan->by_levels)
        return;
    struct ys_air_model model = model_of(plan);
    shape->at_margin = true;
    shape->margin_db[0] = run->report->strength_dbm - model.sensitivity_dbm[shape->data_phy];
    shape->margin_db[1] = run->report->strength_dbm - model.sensitivity_dbm[shape->answer_phy];
    shape->s8_gain_db = model.sensitivity_dbm[YS_PHY_CODED_S2] - model.sensitivity_dbm[YS_PHY_CODED_S8];
}

/* A real controller may lack the wished PHY. The coding of LE Coded is not reported. */
static enum ys_phy phy_of(const struct run *run, enum ys_phy wished, uint8_t has)
{
    if (run->plan->live == NULL || (has == YS_CODED && wished >= YS_PHY_CODED_S8))
        return wished;
    return has == YS_2M ? YS_PHY_2M : has == YS_CODED ? YS_PHY_CODED_S8 : YS_PHY_1M;
}

/* What came about, for the calculation. */
static void find_shape(const struct run *run, uint16_t value_bytes)
{
    const struct ys_throughput_plan *plan = run->plan;
    const struct link_run *link = &run->links[0];
    const struct ys_character *device = ys_hardware_character(&plan->device);
    const struct ys_character *central = ys_hardware_character(&plan->central);
    struct ys_link_shape *shape = &run->report->shape;
    bool to_device = ys_carrier_is_to_device(plan->carrier);
    bool channel = ys_carrier_is_channel(plan->carrier);
    struct ys_link_state state = {.send_length = YS_LINK_PAYLOAD_DEFAULT,
                                  .receive_length = YS_LINK_PAYLOAD_DEFAULT,
                                  .interval_us = plan->interval_us};
    (void)ys_link_get(&run->central.host, link->connection, &state);
    enum ys_phy phy = phy_of(run, plan->phy, state.receive_phy);
    enum ys_phy central_phy = phy_of(run, plan->central_phy, state.send_phy);
    *shape = (struct ys_link_shape){
        .data_phy = to_device ? central_phy : phy,
        .answer_phy = to_device ? phy : central_phy,
        .interval_us = state.interval_us,
        .event_length_us = least_of(plan->event_length_us, least_of(device->event_length_us, central->event_length_us)),
        .exchanges_most = (uint8_t)least_of(device->exchanges_most, central->exchanges_most),
        .packet_length = to_device ? state.send_length : state.receive_length,
        .encrypted = plan->encrypted,
        .by_central = to_device,
        .confirmed = plan->carrier == YS_CARRIER_INDICATIONS || plan->carrier == YS_CARRIER_REQUESTS,
        .value_bytes = channel ? CHANNEL_PACKET : value_bytes,
        .frame_bytes = channel ? CHANNEL_PACKET + 4 : ys_link_att_frame(value_bytes),
        .latency = plan->latency,
        .loss = plan->loss,
        .bit_errors = plan->bit_errors,
    };
    if (plan->both) {
        shape->back_value_bytes = value_bytes;
        shape->back_frame_bytes = ys_link_att_frame(value_bytes);
    }
    shape->turn_us[0] = turn_us(&plan->central, shape->frame_bytes);
    shape->turn_us[1] = turn_us(&plan->device, shape->frame_bytes);
    place_shape(run, shape);
}

/* The calculated limit, with those of the device's serial line and of the spacing of its values. */
static void find_limits(const struct run *run, uint16_t value_bytes)
{
    const struct ys_throughput_plan *plan = run->plan;
    struct ys_throughput_report *report = run->report;
    bool channel = ys_carrier_is_channel(plan->carrier);
    ys_link_limit(&report->shape, &report->limit);
    report->limit_bps = report->limit.goodput_bps;
    report->back_limit_bps = report->limit.back_bps;
    if (channel)
        report->limit_bps *= 1 - 2.0 / (MESSAGE_PACKETS * CHANNEL_PACKET);
    double lined_bps = line_hz(&plan->device, report->shape.frame_bytes) * report->shape.value_bytes * 8;
    report->limit_bps = fmin(report->limit_bps, lined_bps);
    double spaced_bps = plan->spacing_ms > 0 ? 8000.0 * value_bytes / plan->spacing_ms : 0;
    if (!ys_carrier_is_to_device(plan->carrier) && !channel && plan->carrier != YS_CARRIER_STREAM && spaced_bps > 0)
        report->limit_bps = fmin(report->limit_bps, spaced_bps * (double)ys_run_links(plan));
}

static uint64_t change_every_ns(const struct run *run, uint16_t value_bytes)
{
    double frames_hz = run->report->limit_bps / 8 / value_bytes * (double)ys_run_links(run->plan);
    uint64_t change_ns = frames_hz > 0 ? (uint64_t)(1e9 / frames_hz / CHANGES_A_FRAME) : YS_NS_PER_MS;
    return change_ns < 1000 ? 1000 : change_ns > YS_NS_PER_S ? YS_NS_PER_S : change_ns;
}

/* Once the links are as they will be. */
static void calculate(struct run *run)
{
    run->report->mtu = ys_host_mtu(&run->central.host, run->links[0].connection);
    uint16_t value_bytes = value_length(run);
    for (size_t i = 0; i < ys_run_links(run->plan); i++)
        run->links[i].up.value_bytes = run->links[i].down.value_bytes = value_bytes;
    find_shape(run, value_bytes);
    find_limits(run, value_bytes);
    expect_latency(run);
    run->change_ns = change_every_ns(run, value_bytes);
}

/* what is on the air */

static void on_air(void *context, const struct ys_air_packet *packet)
{
    struct run *run = context;
    struct ys_link_advertising pdu;
    if (packet->access_address == YS_LINK_ADVERTISING_ACCESS_ADDRESS) {
        if (run->connected < ys_run_links(run->plan) && ys_link_advertising_decode(packet->pdu, packet->length, &pdu) &&
            pdu.type == YS_LINK_CONNECT_IND)
            run->links[run->connected].air.access_address = pdu.connect.access_address;
        return;
    }
    for (size_t i = 0; i < run->connected && run->measures; i++) {
        if (run->links[i].air.access_address == packet->access_address)
            ys_link_meter_take(&run->links[i].air, packet);
    }
}

static uint64_t common_multiple(uint64_t a, uint64_t b)
{
    uint64_t x = a;
    uint64_t y = b;
    while (y != 0) {
        uint64_t rest = x % y;
        x = y;
        y = rest;
    }
    return a / x * b;
}

static bool all_are_connected(const struct run *run)
{
    for (size_t i = 0; i < run->connected; i++) {
        if (!run->links[i].device.connected)
            return false;
    }
    return run->connected == ys_run_links(run->plan);
}

/* Several links of a central find their places first. */
static uint64_t settle_ns(const struct ys_throughput_plan *plan)
{
    return (plan->links > 1 ? 200 : 10) * ys_run_attended_ns(plan) + 100 * YS_NS_PER_MS;
}

static void measure(struct run *run)
{
    struct ys_throughput_report *report = run->report;
    bool foreign = ys_run_is_foreign(run);
    uint64_t interval_ns = report->shape.interval_us * YS_NS_PER_US;
    /* whole rounds, so that none is cut by the ends of the time */
    uint64_t messages = ys_carrier_is_channel(run->plan->carrier) ? MESSAGE_PACKETS : 1;
    uint64_t round_ns = report->limit.cycle * messages * interval_ns;
    if (run->plan->spacing_ms > 0)
        round_ns = common_multiple(interval_ns, run->plan->spacing_ms * YS_NS_PER_MS);
    uint64_t seconds_ns = run->plan->seconds * YS_NS_PER_S;
    uint64_t for_ns = round_ns > 0 && round_ns <= seconds_ns ? seconds_ns / round_ns * round_ns : seconds_ns;
    for (size_t i = 0; i < run->connected && !foreign; i++)
        ys_flow_start(&run->links[i]);
    ys_world_run(&run->world, settle_ns(run->plan));
    run->measures = true;
    run->from_ns = ys_run_now_ns(run);
    main_flow(&run->links[0])->took = &report->latency_ms;
    const struct ys_simulated *device = run->links[0].device.simulated;
    struct ys_radio_use before = {.events = 0};
    if (!foreign)
        before = *ys_simulated_use(device);
    ys_world_run(&run->world, for_ns);
    if (!foreign)
        ys_activity_add(&report->activity, &before, ys_simulated_use(device));
    report->activity.seconds = (double)for_ns / 1e9;
    run->measures = false;
    main_flow(&run->links[0])->took = NULL;
    report->ended = !all_are_connected(run);
    uint64_t last_ns = main_flow(&run->links[0])->last_ns;
    uint64_t to_ns = report->ended && last_ns > 0 ? last_ns : ys_run_now_ns(run);
    report->seconds = (double)(to_ns - run->from_ns) / 1e9;
    report->from_s = (double)run->from_ns / 1e9;
    run->flows = false; /* what is on its way must come */
    ys_world_run(&run->world, 20 * ys_run_attended_ns(run->plan) + 2 * YS_NS_PER_S);
}

/* Single values, with nothing else on its way, each at any time between two events. */
static void measure_singles(struct run *run)
{
    struct link_run *link = &run->links[0];
    struct flow *flow = main_flow(link);
    uint64_t apart_ns = 3 * ys_run_attended_ns(run->plan) + run->plan->spacing_ms * YS_NS_PER_MS +
                        4 * (uint64_t)(run->report->alone.max_ms * 1e6);
    flow->took = &run->report->alone_ms;
    int count = run->plan->live != NULL ? SINGLES_LIVE : SINGLES;
    for (int i = 0; i < count && all_are_connected(run); i++) {
        ys_world_run(&run->world, apart_ns + ys_chance_next(&link->chance) % ys_run_attended_ns(run->plan));
        if (!ys_flow_single(link))
            break;
    }
    ys_world_run(&run->world, apart_ns);
    flow->took = NULL;
}

/* what came of it */

static void sum_up(struct run *run)
{
    struct ys_throughput_report *report = run->report;
    bool to_device = ys_carrier_is_to_device(run->plan->carrier);
    report->links = run->connected;
    for (size_t i = 0; i < run->connected; i++) {
        struct link_run *link = &run->links[i];
        const struct flow *flow = to_device ? &link->down : &link->up;
        const struct flow *back = to_device ? &link->up : &link->down;
        for (size_t side = 0; side < 2; side++) {
            const struct ys_link_side *from = &link->air.sides[side];
            struct ys_link_side *to = &report->air.sides[side];
            to->packets += from->packets;
            to->data_packets += from->data_packets;
            to->retransmissions += from->retransmissions;
            to->on_air_ns += from->on_air_ns;
        }
        report->air.events += link->air.events;
        report->used += ys_link_meter_used(&link->air, report->shape.interval_us);
        report->values += flow->values;
        report->value_bytes += flow->bytes;
        report->missing += report->foreign ? 0 : flow->sent - flow->received;
        if (run->plan->both)
            report->missing += back->sent - back->received;
        if (run->plan->carrier == YS_CARRIER_STREAM && !report->foreign) /* what waits in its ring has not been sent */
            report->missing -= RING_SIZE - 1 - ys_stream_room(&link->stream);
        if (report->seconds > 0) {
            report->shares[i].goodput_bps = (double)flow->bytes * 8 / report->seconds;
            report->shares[i].back_bps = (double)back->bytes * 8 / report->seconds;
        }
        report->goodput_bps += report->shares[i].goodput_bps;
        report->back_bps += report->shares[i].back_bps;
    }
}

static void evaluate(struct run *run)
{
    struct ys_throughput_report *report = run->report;
    const struct ys_link_meter *air = &report->air;
    double seconds = report->seconds;
    sum_up(run);
    report->ratio = report->limit_bps > 0 ? report->goodput_bps / report->limit_bps : 0;
    if (seconds > 0) {
        report->error = hypot(report->limit.error, report->limit.error_of_1s / sqrt(seconds));
        report->airtime = (double)(air->sides[0].on_air_ns + air->sides[1].on_air_ns) / 1e9 / seconds;
    }
    if (!report->live)
        ys_throughput_charge(run->plan, report);
    if (report->foreign && report->values == 0)
        (void)snprintf(report->trouble, sizeof report->trouble,
                       "it was subscribed to, and sent nothing for %.1f s: have it send all the time", seconds);
    if (report->ended)
        (void)snprintf(report->trouble, sizeof report->trouble, "the connection ended after %.1f s: %s (0x%02x)",
                       report->seconds, ys_hci_error_text(run->central.reason), run->central.reason);
}

/* how it is set up */

static bool disturb(struct run *run)
{
    const struct ys_throughput_plan *plan = run->plan;
    struct ys_disturber network = ys_disturber_of(YS_DISTURBER_NETWORK);
    struct ys_disturber oven = ys_disturber_of(YS_DISTURBER_OVEN);
    struct ys_disturber neighbours = ys_disturber_of(YS_DISTURBER_ADVERTISERS);
    network.channel = plan->network_channel;
    network.duty = plan->network_duty;
    network.x_m = 0;
    network.y_m = plan->network_distance_m;
    oven.x_m = 0;
    oven.y_m = plan->oven_distance_m;
    neighbours.count = plan->neighbours;
    return (plan->network_channel == 0 || plan->network_duty <= 0 || ys_world_disturb(&run->world, &network)) &&
           (plan->oven_distance_m <= 0 || ys_world_disturb(&run->world, &oven)) &&
           (plan->neighbours == 0 || ys_world_disturb(&run->world, &neighbours));
}

/* The central is at 0, 0; all devices are as far away, each in another direction. */
static bool place(struct run *run)
{
    const struct ys_throughput_plan *plan = run->plan;
    bool disturbed = plan->network_channel > 0 || plan->oven_distance_m > 0 || plan->neighbours > 0;
    double distance_m = plan->distance_m > 0 ? plan->distance_m : 1;
    if (plan->distance_m <= 0 && !disturbed)
        return true;
    struct ys_air_model model = model_of(plan);
    const struct ys_link_budget budget = {.power_dbm = plan->power_dbm,
                                          .loss_at_1m_db = model.loss_at_1m_db,
                                          .exponent = model.exponent,
                                          .distance_m = distance_m,
                                          .sensitivity_dbm = model.sensitivity_dbm[plan->phy]};
    run->report->strength_dbm = ys_link_strength_dbm(&budget);
    run->report->margin_db = ys_link_margin_db(&budget);
    bool good = ys_radio_set_model(run->world.radio, &model) && ys_radio_place(run->world.radio, CENTRAL, 0, 0);
    for (size_t i = 0; i < ys_run_links(plan) && good; i++) {
        double angle = 6.283185307179586 * (double)i / (double)ys_run_links(plan);
        good = ys_radio_place(run->world.radio, ys_run_number(i), distance_m * cos(angle), distance_m * sin(angle));
    }
    return good && disturb(run);
}

static void lose(struct run *run)
{
    double shares[40];
    for (size_t i = 0; i < 40; i++)
        shares[i] = run->plan->loss;
    if (run->plan->loss > 0)
        ys_radio_lose(run->world.radio, shares, run->plan->seed);
    if (run->plan->bit_errors > 0)
        ys_radio_lose_bits(run->world.radio, run->plan->bit_errors, run->plan->seed);
}

static bool make_link(struct run *run, size_t i)
{
    struct link_run *link = &run->links[i];
    link->run = run;
    link->up = (struct flow){.run = run, .stamps = calloc(STAMPS, sizeof(uint64_t))};
    link->down = (struct flow){.run = run, .stamps = calloc(STAMPS, sizeof(uint64_t))};
    link->chance = ys_chance_of(run->plan->seed, UINT64_C(0x800000000) + i);
    link->ring = malloc(RING_SIZE);
    if (link->up.stamps == NULL || link->down.stamps == NULL || link->ring == NULL)
        return false;
    if (ys_run_is_foreign(run))
        return true;
    if (!ys_ends_make_table(link) || !ys_ends_begin(run, &link->device, link))
        return false;
    (void)ys_stream_open(&link->device.host, &link->stream, run->value_handle, link->ring, RING_SIZE);
    return true;
}

static bool play(struct run *run)
{
    static const uint8_t phys[] = {YS_1M, YS_2M, YS_CODED, YS_CODED};
    const struct ys_throughput_plan *plan = run->plan;
    size_t links = ys_run_links(plan);
    run->links = calloc(links, sizeof *run->links);
    run->message = malloc(MESSAGE_SIZE);
    run->incoming[0] = malloc(MESSAGE_SIZE);
    run->incoming[1] = malloc(MESSAGE_SIZE);
    if (run->links == NULL || run->message == NULL || run->incoming[0] == NULL || run->incoming[1] == NULL ||
        !place(run))
        return false;
    bool s2 = plan->phy == YS_PHY_CODED_S2 || plan->central_phy == YS_PHY_CODED_S2;
    run->device_wishes = (struct ys_link_wishes){
        .packet_length = plan->packet_length,
        .send_phys = phys[plan->phy],
        .receive_phys = phys[plan->central_phy],
        .coding = s2 ? YS_CODING_S2 : YS_CODING_S8,
    };
    run->central_wishes = run->device_wishes;
    run->central_wishes.send_phys = phys[plan->central_phy];
    run->central_wishes.receive_phys = phys[plan->phy];
    ys_world_record(&run->world, plan->recording);
    run->observer = (struct ys_observer){.observe = on_air, .context = run};
    ys_radio_observe(run->world.radio, &run->observer);
    for (size_t i = 0; i < links; i++) {
        if (!make_link(run, i))
            return false;
    }
    if (!ys_ends_begin(run, &run->central, NULL))
        return false;
    for (size_t i = 0; i < links; i++) {
        if (!ys_ends_connect(&run->links[i]))
            return true;
    }
    calculate(run);
    lose(run);
    measure(run);
    evaluate(run);
    if (!run->report->ended && !run->report->foreign)
        measure_singles(run);
    return true;
}

static void end_run(struct run *run)
{
    for (size_t i = 0; run->links != NULL && i < ys_run_links(run->plan); i++) {
        struct link_run *link = &run->links[i];
        ys_clock_cancel(run->world.clock, &link->changes);
        ys_simulated_free(link->device.simulated);
        free(link->attributes);
        free(link->ring);
        free(link->up.stamps);
        free(link->down.stamps);
    }
    ys_simulated_free(run->central.simulated);
    ys_world_end(&run->world);
    free(run->links);
    free(run->message);
    free(run->incoming[0]);
    free(run->incoming[1]);
}

bool ys_throughput_run(const struct ys_throughput_plan *plan, struct ys_throughput_report *report)
{
    struct run *run = calloc(1, sizeof *run);
    *report = (struct ys_throughput_report){.ended = false};
    if (run == NULL)
        return false;
    run->plan = plan;
    run->report = report;
    report->live = plan->live != NULL;
    report->foreign = ys_run_is_foreign(run);
    bool good = ys_world_init(&run->world, plan->seed, NULL, NULL);
    if (good && plan->live != NULL)
        plan->live->begin(plan->live->context, &run->world);
    if (good) {
        good = play(run);
        if (plan->live != NULL)
            plan->live->end(plan->live->context, &run->world);
        report->broken = run->world.failure[0] != '\0';
        if (report->broken)
            (void)snprintf(report->trouble, sizeof report->trouble, "%.*s", (int)sizeof report->trouble - 1,
                           run->world.failure);
        end_run(run);
    }
    free(run);
    return good;
}
