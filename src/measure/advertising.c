/* An advertiser from the air. */
#include "measure/advertising.h"

/* An event's packets follow each other within this time (Core 5.4 Vol 6 Part B 4.4.2.3), and with a request between
 * them a little later. */
#define SPACING_MOST_NS UINT64_C(20000000)

/* The random delay before an event, at most (Vol 6 Part B 4.4.2.2.1). */
#define DELAY_MOST_NS UINT64_C(10000000)

#define NS_A_MS 1e6

#define CLOCKS_NS    UINT64_C(1000000) /* that two clocks may differ over an interval, generously */
#define CHANCE_LEAST 1e-6              /* what is less likely has not happened */
#define CHANCES_MOST 1000              /* more need not be multiplied */

static bool is_advertisement(uint8_t type)
{
    return type == YS_LINK_ADV_IND || type == YS_LINK_ADV_NONCONN_IND || type == YS_LINK_ADV_SCAN_IND ||
           type == YS_LINK_ADV_DIRECT_IND;
}

static uint8_t bit_of(uint8_t channel)
{
    return (uint8_t)(1u << (channel - 37));
}

static unsigned count_of(uint8_t channels)
{
    return (channels & 1u) + (channels >> 1 & 1u) + (channels >> 2 & 1u);
}

/* The share of events of which nothing is heard. */
static double unheard_share(double missed, unsigned channels)
{
    double share = 1;
    for (unsigned i = 0; i < channels; i++)
        share *= missed;
    return share;
}

/* How many events lie within a time, about. */
static double events_within(const struct ys_advertising_meter *meter, uint64_t time_ns)
{
    return (double)time_ns / (double)(meter->interval_max_ns + DELAY_MOST_NS / 2);
}

/* Whether chance alone may have hidden all events of a silence from the receiver. */
static bool is_missed(const struct ys_advertising_meter *meter, uint64_t silence_ns)
{
    unsigned channels = count_of(meter->channels);
    double unheard = unheard_share(meter->missed_share, channels);
    if (meter->packets[YS_PACKET_AUX_ADV_IND] > 0) /* which must be heard, too */
        unheard = 1 - (1 - unheard) * (1 - meter->missed_share);
    double chance = 1;
    double events = events_within(meter, silence_ns) + 0.5;
    for (uint64_t left = events < CHANCES_MOST ? (uint64_t)events : CHANCES_MOST; left > 1; left--)
        chance *= unheard;
    return meter->missed_share > 0 && chance > CHANCE_LEAST;
}

static void note_silence(struct ys_advertising_meter *meter, uint64_t until_ns, bool at_end)
{
    uint64_t silence_ns = until_ns > meter->last_end_ns ? until_ns - meter->last_end_ns : 0;
    if (!meter->seen || silence_ns <= meter->silence_ns)
        return;
    bool ordinary = silence_ns <= meter->interval_max_ns + DELAY_MOST_NS + SPACING_MOST_NS;
    if (at_end && ordinary)
        return;
    meter->silence_ns = silence_ns;
    meter->silence_from_ns = meter->last_end_ns;
    meter->silence_others = meter->others;
    meter->silence = meter->connected               ? YS_SILENCE_CONNECTED
                     : ordinary                     ? YS_SILENCE_EVENTS
                     : is_missed(meter, silence_ns) ? YS_SILENCE_MISSED
                                                    : YS_SILENCE_STOPPED;
}

/* An interval can be measured from one first packet to the next; and if not all of an event was heard, a request may
 * have ended it, after which the device begins anew. */
static void measure_interval(struct ys_advertising_meter *meter, uint64_t start_ns, uint8_t first_bit)
{
    uint64_t interval_ns = start_ns - meter->last_start_ns;
    uint8_t lowest = (uint8_t)(meter->channels & -meter->channels);
    bool whole = meter->event_channels == meter->channels && first_bit == lowest;
    bool ordinary = interval_ns <= meter->interval_max_ns + DELAY_MOST_NS + SPACING_MOST_NS;
    if (meter->missed_share > 0 && (!whole || (!ordinary && is_missed(meter, interval_ns)))) {
        meter->unmeasured++;
        meter->missed += ordinary ? 0 : (uint64_t)(events_within(meter, interval_ns) + 0.5) - 1;
        return;
    }
    bool shorter = meter->joined > 0 && interval_ns + CLOCKS_NS < meter->interval_min_ns;
    ys_samples_add(shorter ? &meter->shorter_ms : &meter->intervals_ms, (double)interval_ns / NS_A_MS);
}

/* The event that was begun last is over. */
static void end_event(struct ys_advertising_meter *meter)
{
    if (!meter->running || meter->connected)
        return;
    meter->whole_events++;
    meter->channels_in_them += count_of(meter->event_channels);
}

static void begin_event(struct ys_advertising_meter *meter, uint64_t start_ns, uint8_t channel)
{
    end_event(meter);
    meter->events++;
    if (meter->running)
        measure_interval(meter, start_ns, bit_of(channel));
    meter->running = true;
    meter->last_start_ns = start_ns;
    meter->event_channels = bit_of(channel);
    meter->channels_heard |= meter->event_channels;
}

static void go_on(struct ys_advertising_meter *meter, const struct ys_air_packet *packet)
{
    uint64_t spacing_ns = packet->start_ns - meter->last_packet_ns;
    meter->event_channels |= bit_of(packet->channel);
    meter->channels_heard |= bit_of(packet->channel);
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
        begin_event(meter, packet->start_ns, packet->channel);
    meter->seen = true;
    meter->connected = false;
    meter->asked = false;
    meter->last_channel = packet->channel;
    meter->last_packet_ns = packet->start_ns;
    meter->last_end_ns = packet->start_ns + packet->duration_ns;
    meter->others = 0;
}

/* Extended advertising: the sender of a packet on the primary channels is only known when its auxiliary packet has
 * arrived. */

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

static bool is_same_data(const struct ys_link_data_id *a, const struct ys_link_data_id *b)
{
    return a->set == b->set && a->version == b->version;
}

/* Of those that the advertiser's packets on the primary channels point to, one has not come. */
static void drop_orphans(struct ys_advertising_meter *meter, uint64_t now_ns)
{
    for (size_t i = 0; i < YS_POINTERS_MOST && meter->has_data_id; i++) {
        struct ys_pointer *pointer = &meter->pointers[i];
        if (!pointer->used || pointer->chained || !pointer->has_data_id ||
            pointer->from_ns + pointer->step_ns >= now_ns || !is_same_data(&pointer->data_id, &meter->data_id))
            continue;
        pointer->used = false;
        meter->orphans++;
    }
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
        drop_orphans(meter, packet->start_ns);
        pointer = new_pointer(meter, packet, &pdu->aux);
        pointer->first_start_ns = packet->start_ns;
        pointer->has_data_id = pdu->has_data_id;
        pointer->data_id = pdu->data_id;
    }
    pointer->packets++;
    pointer->channels |= bit_of(packet->channel);
    pointer->last_channel = packet->channel;
    pointer->last_start_ns = packet->start_ns;
    pointer->last_end_ns = packet->start_ns + packet->duration_ns;
    pointer->on_air_ns += packet->duration_ns;
}

static uint8_t first_channel(uint8_t channels)
{
    return (channels & 1) != 0 ? 37 : (channels & 2) != 0 ? 38 : 39;
}

/* The packets on the primary channels turn out to be of the advertiser. */
static void take_event(struct ys_advertising_meter *meter, const struct ys_pointer *pointer)
{
    meter->others -=
        pointer->packets < meter->others ? pointer->packets : meter->others; /* which turn out to be its own */
    note_silence(meter, pointer->first_start_ns, false);
    begin_event(meter, pointer->first_start_ns, first_channel(pointer->channels));
    meter->event_channels = pointer->channels;
    meter->channels_heard |= pointer->channels;
    meter->packets[YS_PACKET_EXT_IND] += pointer->packets;
    meter->on_air_ns += pointer->on_air_ns;
    meter->seen = true;
    meter->connected = false;
    meter->last_end_ns = pointer->last_end_ns;
    meter->others = 0;
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
        meter->others -= meter->others > 0; /* it does not say whose it is */
        count(meter, YS_PACKET_AUX_CHAIN_IND, packet);
        follow_on(meter, packet, pdu);
    } else if (pointer != NULL && is_of(meter, pdu)) {
        pointer->used = false;
        meter->has_data_id = pdu->has_data_id;
        meter->data_id = pdu->data_id;
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
    meter->others += !pdu.has_sender || !is_of(meter, &pdu);
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
    if (!to_it && !of_it) {
        meter->others++;
        return;
    }
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

void ys_advertising_meter_other(struct ys_advertising_meter *meter)
{
    meter->others++;
}

/* As many intervals may be short as there were connections whose requests were not heard. */
static void judge_shorter(struct ys_advertising_meter *meter)
{
    struct ys_samples *shorter = &meter->shorter_ms;
    if (shorter->count <= meter->joined) {
        meter->unmeasured += shorter->count;
        return;
    }
    for (size_t i = 0; i < shorter->count; i++)
        ys_samples_add(&meter->intervals_ms, shorter->values[i]);
}

void ys_advertising_meter_end(struct ys_advertising_meter *meter, uint64_t now_ns)
{
    judge_shorter(meter);
    note_silence(meter, now_ns, true);
}

double ys_advertising_meter_missed(const struct ys_advertising_meter *meter)
{
    unsigned channels = count_of(meter->channels_heard);
    double heard = meter->whole_events > 0 ? (double)meter->channels_in_them / (double)meter->whole_events : channels;
    double orphans = meter->orphans > 0
                         ? (double)meter->orphans / (double)(meter->orphans + meter->packets[YS_PACKET_AUX_ADV_IND])
                         : 0;
    double low = 0;
    double high = 1;
    if (channels < 2 || heard >= channels)
        return orphans;
    /* of events that were heard at all, so many packets are heard in the mean */
    while (high - low > 1e-6) {
        double missed = (low + high) / 2;
        if (channels * (1 - missed) / (1 - unheard_share(missed, channels)) > heard)
            low = missed;
        else
            high = missed;
    }
    return low > orphans ? low : orphans;
}

void ys_advertising_meter_free(struct ys_advertising_meter *meter)
{
    ys_samples_free(&meter->intervals_ms);
    ys_samples_free(&meter->shorter_ms);
}
