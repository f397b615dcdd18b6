/* An advertiser from the air. */
#include "measure/advertising.h"

/* An event's packets follow each other within this time (Core 5.4 Vol 6 Part B 4.4.2.3), and with a request between
 * them a little later. */
#define SPACING_MOST_NS UINT64_C(20000000)

/* The random delay before an event, at most (4.4.2.2.1). */
#define DELAY_MOST_NS UINT64_C(10000000)

#define NS_A_MS 1e6

static bool is_advertisement(uint8_t type)
{
    return type == YS_LINK_ADV_IND || type == YS_LINK_ADV_NONCONN_IND || type == YS_LINK_ADV_SCAN_IND ||
           type == YS_LINK_ADV_DIRECT_IND;
}

static void note_silence(struct ys_advertising_meter *meter, uint64_t until_ns, bool at_end)
{
    uint64_t silence_ns = until_ns - meter->last_end_ns;
    if (!meter->seen || silence_ns <= meter->silence_ns)
        return;
    bool ordinary = silence_ns <= meter->interval_max_ns + DELAY_MOST_NS + SPACING_MOST_NS;
    if (at_end && ordinary)
        return;
    meter->silence_ns = silence_ns;
    meter->silence_from_ns = meter->last_end_ns;
    meter->silence = meter->connected ? YS_SILENCE_CONNECTED : ordinary ? YS_SILENCE_EVENTS : YS_SILENCE_STOPPED;
}

static void begin_event(struct ys_advertising_meter *meter, uint64_t start_ns)
{
    meter->events++;
    if (meter->running)
        ys_samples_add(&meter->intervals_ms, (double)(start_ns - meter->last_start_ns) / NS_A_MS);
    meter->running = true;
    meter->last_start_ns = start_ns;
}

static void go_on(struct ys_advertising_meter *meter, const struct ys_air_packet *packet)
{
    uint64_t spacing_ns = packet->start_ns - meter->last_packet_ns;
    if (meter->asked)
        return;
    if (meter->spacings == 0 || spacing_ns < meter->spacing_min_ns)
        meter->spacing_min_ns = spacing_ns;
    if (spacing_ns > meter->spacing_max_ns)
        meter->spacing_max_ns = spacing_ns;
    meter->spacings++;
}

static void take_advertisement(struct ys_advertising_meter *meter, const struct ys_air_packet *packet)
{
    note_silence(meter, packet->start_ns, false);
    bool same_event = meter->running && packet->channel > meter->last_channel &&
                      packet->start_ns - meter->last_start_ns < SPACING_MOST_NS;
    if (same_event)
        go_on(meter, packet);
    else
        begin_event(meter, packet->start_ns);
    meter->seen = true;
    meter->connected = false;
    meter->asked = false;
    meter->last_channel = packet->channel;
    meter->last_packet_ns = packet->start_ns;
    meter->last_end_ns = packet->start_ns + packet->duration_ns;
}

void ys_advertising_meter_take(struct ys_advertising_meter *meter, const struct ys_air_packet *packet)
{
    struct ys_link_advertising pdu;
    if (packet->access_address != YS_LINK_ADVERTISING_ACCESS_ADDRESS || !packet->crc_good ||
        !ys_link_advertising_decode(packet->pdu, packet->length, &pdu) || pdu.type >= YS_ADVERTISING_TYPES)
        return;
    bool to_it = (pdu.type == YS_LINK_SCAN_REQ || pdu.type == YS_LINK_CONNECT_IND) &&
                 ys_address_is_equal(&pdu.target, &meter->advertiser);
    bool of_it = (is_advertisement(pdu.type) || pdu.type == YS_LINK_SCAN_RSP) &&
                 ys_address_is_equal(&pdu.sender, &meter->advertiser);
    if (!to_it && !of_it)
        return;
    meter->packets[pdu.type]++;
    if (of_it)
        meter->on_air_ns += packet->duration_ns;
    if (pdu.type == YS_LINK_CONNECT_IND) {
        meter->running = false;
        meter->connected = true;
    }
    if (of_it && pdu.type != YS_LINK_SCAN_RSP)
        take_advertisement(meter, packet);
    else
        meter->asked = true;
}

void ys_advertising_meter_end(struct ys_advertising_meter *meter, uint64_t now_ns)
{
    note_silence(meter, now_ns, true);
}

void ys_advertising_meter_free(struct ys_advertising_meter *meter)
{
    ys_samples_free(&meter->intervals_ms);
}
