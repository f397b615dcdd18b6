/* What was on the air of one connection. */
#include "measure/link_meter.h"

/* A packet that begins so much later than T_IFS after the last one begins another event. */
#define TOLERANCE_NS 4000

static bool begins_event(const struct ys_link_meter *meter, const struct ys_air_packet *packet)
{
    return packet->side == YS_AIR_CENTRAL &&
           (meter->events == 0 || packet->start_ns > meter->last_ns + YS_LINK_INTER_FRAME_SPACE_NS + TOLERANCE_NS);
}

static void take(struct ys_link_meter *meter, const struct ys_air_packet *packet, const struct ys_link_data *pdu,
                 bool begins, bool again)
{
    uint64_t end_ns = packet->start_ns + packet->duration_ns;
    if (begins) {
        meter->events++;
        meter->event_ns = packet->start_ns;
        meter->central_ns = 0;
        meter->sides[0].in_event = meter->sides[1].in_event = false;
        meter->last_ns = packet->start_ns;
    }
    if (meter->events == 0) /* it was going on when the watch began */
        return;
    struct ys_link_side *side = &meter->sides[packet->side != YS_AIR_CENTRAL];
    side->any = true;
    side->sequence = pdu->sequence;
    side->packets++;
    side->on_air_ns += packet->duration_ns;
    side->events += !side->in_event;
    side->in_event = true;
    if (packet->side == YS_AIR_CENTRAL) {
        meter->central_ns += packet->duration_ns;
    } else {
        meter->heard_ns += meter->central_ns;
        meter->central_ns = 0;
    }
    if (pdu->length > 0 && pdu->kind != YS_LINK_CONTROL) {
        side->data_packets++;
        side->retransmissions += again;
    }
    meter->events_ns += end_ns - meter->last_ns;
    meter->last_ns = end_ns;
}

void ys_link_meter_take(struct ys_link_meter *meter, const struct ys_air_packet *packet)
{
    struct ys_link_data pdu;
    if (packet->access_address != meter->access_address || !ys_link_data_decode(packet->pdu, packet->length, &pdu))
        return;
    const struct ys_link_side *side = &meter->sides[packet->side != YS_AIR_CENTRAL];
    take(meter, packet, &pdu, begins_event(meter, packet), side->any && side->sequence == pdu.sequence);
}

void ys_link_meter_take_as(struct ys_link_meter *meter, const struct ys_air_packet *packet, bool begins, bool again)
{
    struct ys_link_data pdu;
    if (packet->access_address == meter->access_address && ys_link_data_decode(packet->pdu, packet->length, &pdu))
        take(meter, packet, &pdu, begins, again);
}

double ys_link_meter_used(const struct ys_link_meter *meter, uint32_t interval_us)
{
    return meter->events < 2 ? 0 : (double)meter->events_ns / 1000 / ((double)meter->events * interval_us);
}
