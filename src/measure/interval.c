/* The advertising interval from the air. */
#include "measure/interval.h"

/* An event's packets follow each other within this time (Core 5.4 Vol 6 Part B 4.4.2.3). */
#define SPACING_MAX_NS UINT64_C(10000000)

struct ys_interval_meter ys_interval_meter_of(const struct ys_address *advertiser)
{
    return (struct ys_interval_meter){.advertiser = *advertiser};
}

static bool is_advertisement(uint8_t type)
{
    return type == YS_LINK_ADV_IND || type == YS_LINK_ADV_NONCONN_IND || type == YS_LINK_ADV_SCAN_IND;
}

static void begin_event(struct ys_interval_meter *meter, uint64_t start_ns)
{
    meter->events++;
    if (meter->running) {
        uint64_t interval_ns = start_ns - meter->last_start_ns;
        if (meter->intervals == 0 || interval_ns < meter->min_ns)
            meter->min_ns = interval_ns;
        if (interval_ns > meter->max_ns)
            meter->max_ns = interval_ns;
        meter->sum_ns += interval_ns;
        meter->intervals++;
    }
    meter->running = true;
    meter->last_start_ns = start_ns;
}

void ys_interval_meter_take(struct ys_interval_meter *meter, const struct ys_air_packet *packet)
{
    struct ys_link_advertising pdu;
    if (packet->access_address != YS_LINK_ADVERTISING_ACCESS_ADDRESS || !packet->crc_good ||
        !ys_link_advertising_decode(packet->pdu, packet->length, &pdu))
        return;
    if (pdu.type == YS_LINK_CONNECT_IND && ys_address_is_equal(&pdu.target, &meter->advertiser))
        meter->running = false;
    if (!is_advertisement(pdu.type) || !ys_address_is_equal(&pdu.sender, &meter->advertiser))
        return;
    bool same_event = meter->running && packet->channel > meter->last_channel &&
                      packet->start_ns - meter->last_start_ns < SPACING_MAX_NS * 2;
    if (!same_event)
        begin_event(meter, packet->start_ns);
    meter->last_channel = packet->channel;
}

double ys_interval_meter_mean_ns(const struct ys_interval_meter *meter)
{
    return meter->intervals > 0 ? (double)meter->sum_ns / (double)meter->intervals : 0;
}
