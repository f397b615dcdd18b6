/* A stream over a connection. Two hosts on simulated controllers: the device with one characteristic and one channel,
 * and a central. */
#include "experiment/throughput.h"

#include <stdio.h>
#include <stdlib.h>

#include "experiment/throughput_ends.h"
#include "experiment/throughput_flow.h"
#include "experiment/throughput_run.h"
#include "wire/att.h"

/* What came about, for the calculation. */
static void find_shape(struct run *run)
{
    const struct ys_throughput_plan *plan = run->plan;
    struct ys_throughput_report *report = run->report;
    struct end *sender = ys_carrier_is_to_device(plan->carrier) ? &run->central : &run->device;
    struct ys_link_state state = {.send_length = YS_LINK_PAYLOAD_DEFAULT, .interval_us = plan->interval_us};
    uint16_t mtu = ys_host_mtu(&sender->host, sender->connection);
    uint16_t most = mtu - 3 < YS_ATT_VALUE_MAX ? (uint16_t)(mtu - 3) : YS_ATT_VALUE_MAX;
    (void)ys_link_get(&sender->host, sender->connection, &state);
    run->value_bytes = ys_carrier_is_channel(plan->carrier) ? MESSAGE_PACKETS * CHANNEL_PACKET - 2
                       : plan->carrier == YS_CARRIER_STREAM || plan->value_bytes > most ? most
                                                                                        : plan->value_bytes;
    report->shape = (struct ys_link_shape){
        .data_phy = plan->phy,
        .answer_phy = plan->phy,
        .interval_us = state.interval_us,
        .event_length_us = plan->event_length_us,
        .packet_length = state.send_length,
        .encrypted = plan->encrypted,
        .by_central = ys_carrier_is_to_device(plan->carrier),
        .confirmed = plan->carrier == YS_CARRIER_INDICATIONS || plan->carrier == YS_CARRIER_REQUESTS,
        .value_bytes = ys_carrier_is_channel(plan->carrier) ? CHANNEL_PACKET : run->value_bytes,
        .frame_bytes = ys_carrier_is_channel(plan->carrier) ? CHANNEL_PACKET + 4 : ys_link_att_frame(run->value_bytes),
        .loss = plan->loss,
    };
    ys_link_limit(&report->shape, &report->limit);
    ys_link_expect_latency(&report->shape, plan->latency, &report->alone);
    report->limit_bps = report->limit.goodput_bps;
    if (ys_carrier_is_channel(plan->carrier))
        report->limit_bps *= 1 - 2.0 / (MESSAGE_PACKETS * CHANNEL_PACKET);
    double spaced_bps = plan->spacing_ms > 0 ? 8000.0 * run->value_bytes / plan->spacing_ms : 0;
    if (!ys_carrier_is_to_device(plan->carrier) && !ys_carrier_is_channel(plan->carrier) &&
        plan->carrier != YS_CARRIER_STREAM && spaced_bps > 0 && spaced_bps < report->limit_bps)
        report->limit_bps = spaced_bps;
}

static void on_air(void *context, const struct ys_air_packet *packet)
{
    struct run *run = context;
    struct ys_link_meter *meter = &run->report->air;
    struct ys_link_advertising pdu;
    if (packet->access_address == YS_LINK_ADVERTISING_ACCESS_ADDRESS) {
        if (ys_link_advertising_decode(packet->pdu, packet->length, &pdu) && pdu.type == YS_LINK_CONNECT_IND)
            meter->access_address = pdu.connect.access_address;
    } else if (run->measures) {
        ys_link_meter_take(meter, packet);
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

static void measure(struct run *run)
{
    struct ys_throughput_report *report = run->report;
    uint64_t interval_ns = report->shape.interval_us * YS_NS_PER_US;
    /* whole rounds, so that none is cut by the ends of the time */
    uint64_t messages = ys_carrier_is_channel(run->plan->carrier) ? MESSAGE_PACKETS : 1;
    uint64_t round_ns = report->limit.cycle * messages * interval_ns;
    if (run->plan->spacing_ms > 0)
        round_ns = common_multiple(interval_ns, run->plan->spacing_ms * YS_NS_PER_MS);
    uint64_t seconds_ns = run->plan->seconds * YS_NS_PER_S;
    uint64_t for_ns = round_ns > 0 && round_ns <= seconds_ns ? seconds_ns / round_ns * round_ns : seconds_ns;
    ys_flow_start(run);
    ys_world_run(&run->world, 10 * ys_run_attended_ns(run->plan) + 100 * YS_NS_PER_MS);
    run->measures = true;
    run->from_ns = ys_run_now_ns(run);
    ys_world_run(&run->world, for_ns);
    run->measures = false;
    report->ended = !run->central.connected;
    report->seconds = (double)((report->ended ? run->last_ns : ys_run_now_ns(run)) - run->from_ns) / 1e9;
    report->from_s = (double)run->from_ns / 1e9;
    run->flows = false; /* what is on its way must come */
    ys_world_run(&run->world, 20 * ys_run_attended_ns(run->plan) + 2 * YS_NS_PER_S);
}

static void evaluate(struct run *run)
{
    struct ys_throughput_report *report = run->report;
    const struct ys_link_meter *air = &report->air;
    double seconds = report->seconds;
    report->goodput_bps = seconds > 0 ? (double)report->value_bytes * 8 / seconds : 0;
    report->ratio = report->limit_bps > 0 ? report->goodput_bps / report->limit_bps : 0;
    report->missing = run->sent - run->received;
    if (run->plan->carrier == YS_CARRIER_STREAM) /* what waits in its ring has not been sent */
        report->missing -= RING_SIZE - 1 - ys_stream_room(&run->stream);
    report->used = ys_link_meter_used(air, report->shape.interval_us);
    if (seconds > 0)
        report->airtime = (double)(air->sides[0].on_air_ns + air->sides[1].on_air_ns) / 1e9 / seconds;
    ys_throughput_charge(run->plan, report);
    if (report->ended)
        (void)snprintf(report->trouble, sizeof report->trouble, "the connection ended after %.1f s: %s (0x%02x)",
                       report->seconds, ys_hci_error_text(run->central.reason), run->central.reason);
}

static const struct ys_air_model open_air = {
    .loss_at_1m_db = 40,
    .exponent = 2,
    .capture_db = 8,
    .sensitivity_dbm = {[YS_PHY_1M] = -95, [YS_PHY_2M] = -92, [YS_PHY_CODED_S8] = -103, [YS_PHY_CODED_S2] = -98}};

static bool place(struct run *run)
{
    const struct ys_throughput_plan *plan = run->plan;
    if (plan->distance_m <= 0)
        return true;
    const struct ys_link_budget budget = {.power_dbm = plan->power_dbm,
                                          .loss_at_1m_db = open_air.loss_at_1m_db,
                                          .exponent = open_air.exponent,
                                          .distance_m = plan->distance_m,
                                          .sensitivity_dbm = open_air.sensitivity_dbm[plan->phy]};
    run->report->strength_dbm = ys_link_strength_dbm(&budget);
    run->report->margin_db = ys_link_margin_db(&budget);
    return ys_radio_set_model(run->world.radio, &open_air) && ys_radio_place(run->world.radio, DEVICE, 0, 0) &&
           ys_radio_place(run->world.radio, CENTRAL, plan->distance_m, 0);
}

static void lose(struct run *run)
{
    double shares[40];
    for (size_t i = 0; i < 40; i++)
        shares[i] = run->plan->loss;
    if (run->plan->loss > 0)
        ys_radio_lose(run->world.radio, shares, run->plan->seed);
}

static bool play(struct run *run)
{
    static const uint8_t phys[] = {YS_LINK_1M, YS_LINK_2M, YS_LINK_CODED, YS_LINK_CODED};
    const struct ys_throughput_plan *plan = run->plan;
    run->ring = malloc(RING_SIZE);
    run->message = malloc(MESSAGE_SIZE);
    run->incoming[0] = malloc(MESSAGE_SIZE);
    run->incoming[1] = malloc(MESSAGE_SIZE);
    if (run->ring == NULL || run->message == NULL || run->incoming[0] == NULL || run->incoming[1] == NULL ||
        !place(run))
        return false;
    run->wishes = (struct ys_link_wishes){
        .packet_length = plan->packet_length,
        .send_phys = phys[plan->phy],
        .receive_phys = phys[plan->phy],
        .coding = plan->phy == YS_PHY_CODED_S2 ? YS_CODING_S2 : YS_CODING_S8,
    };
    ys_world_record(&run->world, plan->recording);
    run->observer = (struct ys_observer){.observe = on_air, .context = run};
    ys_radio_observe(run->world.radio, &run->observer);
    if (!ys_ends_make_table(run) || !ys_ends_begin(run, &run->device, DEVICE) ||
        !ys_ends_begin(run, &run->central, CENTRAL))
        return false;
    (void)ys_stream_open(&run->device.host, &run->stream, run->value_handle, run->ring, RING_SIZE);
    if (!ys_ends_connect(run))
        return true;
    find_shape(run);
    lose(run);
    measure(run);
    evaluate(run);
    return true;
}

bool ys_throughput_run(const struct ys_throughput_plan *plan, struct ys_throughput_report *report)
{
    struct run *run = calloc(1, sizeof *run);
    *report = (struct ys_throughput_report){.ended = false};
    if (run == NULL)
        return false;
    run->plan = plan;
    run->report = report;
    bool good = ys_world_init(&run->world, plan->seed, NULL, NULL);
    if (good) {
        good = play(run);
        ys_simulated_free(run->device.simulated);
        ys_simulated_free(run->central.simulated);
        ys_world_end(&run->world);
    }
    free(run->attributes);
    free(run->ring);
    free(run->message);
    free(run->incoming[0]);
    free(run->incoming[1]);
    free(run);
    return good;
}
