/* An advertiser from the air. */
#include "measure/advertising.h"

#include "wire/extended.h"

/* An event's packets follow each other within this time (Core 5.4 Vol 6 Part B 4.4.2.3), and with a request between
 * them a little later. */
#define SPACING_MOST_NS UINT64_C(20000000)

/* The random delay before an event, at most (Vol 6 Part B 4.4.2.2.1). */
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

/* Extended advertising: who a packet on the primary channels is of is only known once what it points to has come. */

static struct ys_pointer *find_pointer(struct ys_advertising_meter *meter, uint8_t channel, enum ys_phy phy,
                                       uint64_t from_ns, uint64_t until_ns)
{
    for (size_t i = 0; i < YS_POINTERS_MOST; i++) {
        struct ys_pointer *pointer = &meter->pointers[i];
        if (pointer->used && pointer->channel == channel && pointer->phy == phy && pointer->from_ns <= until_ns &&
            from_ns <= pointer->from_ns + pointer->step_ns)
            return pointer;
    }
    return NULL;
}

static struct ys_pointer *new_pointer(struct ys_advertising_meter *meter, const struct ys_air_packet *packet,
                                      const struct ys_link_aux *aux)
{
    struct ys_pointer *pointer = &meter->pointers[meter->next_pointer];
    meter->next_pointer = (meter->next_pointer + 1) % YS_POINTERS_MOST;
    *pointer = (struct ys_pointer){
        .used = true,
        .channel = aux->channel,
        .phy = (enum ys_phy)aux->phy,
        .from_ns = packet->start_ns + aux->offset_us * UINT64_C(1000),
        .step_ns = ys_link_aux_step_us(aux->offset_us) * UINT64_C(1000),
    };
    return pointer;
}

static void take_primary(struct ys_advertising_meter *meter, const struct ys_air_packet *packet,
                         const struct ys_link_extended *pdu)
{
    uint64_t from_ns = packet->start_ns + pdu->aux.offset_us * UINT64_C(1000);
    uint64_t step_ns = ys_link_aux_step_us(pdu->aux.offset_us) * UINT64_C(1000);
    struct ys_pointer *pointer =
        find_pointer(meter, pdu->aux.channel, (enum ys_phy)pdu->aux.phy, from_ns, from_ns + step_ns);
    if (pointer != NULL && !pointer->chained && packet->channel > pointer->last_channel) {
        uint64_t spacing_ns = packet->start_ns - pointer->last_start_ns;
        if (pointer->spacing_min_ns == 0 || spacing_ns < pointer->spacing_min_ns)
            pointer->spacing_min_ns = spacing_ns;
        if (spacing_ns > pointer->spacing_max_ns)
            pointer->spacing_max_ns = spacing_ns;
    } else {
        pointer = new_pointer(meter, packet, &pdu->aux);
        pointer->first_start_ns = packet->start_ns;
    }
    pointer->packets++;
    pointer->last_channel = packet->channel;
    pointer->last_start_ns = packet->start_ns;
    pointer->last_end_ns = packet->start_ns + packet->duration_ns;
    pointer->on_air_ns += packet->duration_ns;
}

/* The packets on the primary channels turn out to be of the advertiser. */
static void take_event(struct ys_advertising_meter *meter, const struct ys_pointer *pointer)
{
    note_silence(meter, pointer->first_start_ns, false);
    begin_event(meter, pointer->first_start_ns);
    meter->packets[YS_PACKET_EXT_IND] += pointer->packets;
    meter->on_air_ns += pointer->on_air_ns;
    meter->seen = true;
    meter->connected = false;
    meter->last_end_ns = pointer->last_end_ns;
    if (pointer->packets < 2)
        return;
    if (meter->spacings == 0 || pointer->spacing_min_ns < meter->spacing_min_ns)
        meter->spacing_min_ns = pointer->spacing_min_ns;
    if (pointer->spacing_max_ns > meter->spacing_max_ns)
        meter->spacing_max_ns = pointer->spacing_max_ns;
    meter->spacings += pointer->packets - 1u;
}

static void follow_on(struct ys_advertising_meter *meter, const struct ys_air_packet *packet,
                      const struct ys_link_extended *pdu)
{
    if (!pdu->has_aux)
        return;
    struct ys_pointer *pointer = new_pointer(meter, packet, &pdu->aux);
    pointer->chained = true;
}

static bool is_of(const struct ys_advertising_meter *meter, const struct ys_link_extended *pdu)
{
    return pdu->has_sender ? ys_address_is_equal(&pdu->sender, &meter->advertiser) : meter->anonymous;
}

static void count(struct ys_advertising_meter *meter, enum ys_advertising_packet kind,
                  const struct ys_air_packet *packet)
{
    meter->packets[kind]++;
    meter->on_air_ns += packet->duration_ns;
}

static void take_secondary(struct ys_advertising_meter *meter, const struct ys_air_packet *packet,
                           const struct ys_link_extended *pdu)
{
    struct ys_pointer *pointer = find_pointer(meter, packet->channel, packet->phy, packet->start_ns, packet->start_ns);
    bool answer = packet->start_ns == meter->answered_ns + YS_LINK_INTER_FRAME_SPACE_NS && meter->answered_ns > 0;
    if (pdu->type == YS_LINK_CONNECT_RSP) {
        if (is_of(meter, pdu))
            count(meter, YS_PACKET_AUX_CONNECT_RSP, packet);
    } else if (answer && is_of(meter, pdu)) {
        meter->responses++;
        count(meter, YS_PACKET_AUX_SCAN_RSP, packet);
        follow_on(meter, packet, pdu);
    } else if (pointer != NULL && pointer->chained) {
        pointer->used = false;
        count(meter, YS_PACKET_AUX_CHAIN_IND, packet);
        follow_on(meter, packet, pdu);
    } else if (pointer != NULL && is_of(meter, pdu)) {
        pointer->used = false;
        take_event(meter, pointer);
        meter->known_ns = packet->start_ns + packet->duration_ns - pointer->first_start_ns;
        meter->known_phy = packet->phy;
        meter->known_length = packet->length;
        count(meter, YS_PACKET_AUX_ADV_IND, packet);
        meter->listens += pdu->mode != YS_LINK_MODE_NEITHER;
        follow_on(meter, packet, pdu);
    }
}

static void take_extended(struct ys_advertising_meter *meter, const struct ys_air_packet *packet)
{
    struct ys_link_extended pdu;
    if (!ys_link_extended_decode(packet->pdu, packet->length, &pdu))
        return;
    if (packet->channel < 37) {
        take_secondary(meter, packet, &pdu);
    } else if (pdu.has_aux) {
        take_primary(meter, packet, &pdu);
    } else if (is_of(meter, &pdu)) { /* it says all there is */
        count(meter, YS_PACKET_EXT_IND, packet);
        take_advertisement(meter, packet);
    }
}

/* A request on an auxiliary channel. */
static void take_request(struct ys_advertising_meter *meter, const struct ys_air_packet *packet, uint8_t type)
{
    meter->answered_ns = packet->start_ns + packet->duration_ns;
    if (type == YS_LINK_SCAN_REQ) {
        meter->requests++;
        meter->packets[YS_PACKET_AUX_SCAN_REQ]++;
        return;
    }
    meter->packets[YS_PACKET_AUX_CONNECT_REQ]++;
    meter->running = false;
    meter->connected = true;
}

void ys_advertising_meter_take(struct ys_advertising_meter *meter, const struct ys_air_packet *packet)
{
    struct ys_link_advertising pdu;
    if (packet->access_address != YS_LINK_ADVERTISING_ACCESS_ADDRESS || !packet->crc_good)
        return;
    if (!ys_link_advertising_decode(packet->pdu, packet->length, &pdu)) {
        take_extended(meter, packet);
        return;
    }
    bool to_it = (pdu.type == YS_LINK_SCAN_REQ || pdu.type == YS_LINK_CONNECT_IND) &&
                 ys_address_is_equal(&pdu.target, &meter->advertiser);
    bool of_it = (is_advertisement(pdu.type) || pdu.type == YS_LINK_SCAN_RSP) &&
                 ys_address_is_equal(&pdu.sender, &meter->advertiser);
    if (!to_it && !of_it)
        return;
    if (to_it && packet->channel < 37) {
        take_request(meter, packet, pdu.type);
        return;
    }
    meter->packets[pdu.type]++;
    meter->requests += pdu.type == YS_LINK_SCAN_REQ;
    meter->responses += pdu.type == YS_LINK_SCAN_RSP;
    meter->listens += of_it && pdu.type != YS_LINK_SCAN_RSP && pdu.type != YS_LINK_ADV_NONCONN_IND;
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
