/* The air. Receivers and transmissions are kept by channel, so that a crowd elsewhere costs nothing. */
#include "sim/radio.h"

#include <math.h>
#include <stdlib.h>
#include <string.h>

#include "sim/chance.h"

#define CHANNELS 40

/* A perfect radio hears everybody alike. */
#define STRENGTH_DBM (-50)

/* One interferer: a burst, then a pause of twice its mean at most. */
struct noise {
    struct ys_radio *radio;
    struct ys_interferer interferer;
    struct ys_chance chance;
    struct ys_timer timer;
    bool on;
    struct noise *next;
};

struct ys_transmission {
    struct ys_radio *radio;
    struct ys_air_packet packet;
    struct ys_timer end;
    int32_t power_cdbm;
    struct ys_transmission *next; /* on the same channel, or in the pool */
    struct ys_receiver *hearers;
};

struct ys_radio {
    struct ys_clock *clock;
    struct ys_receiver *receivers[CHANNELS];
    struct ys_transmission *transmissions[CHANNELS];
    struct ys_transmission *pool;
    struct ys_propagation *propagation; /* NULL: the air is perfect */
    struct ys_air_model model;
    double capture_ratio;
    struct noise *noises;
    struct ys_observer *observers;
    uint64_t count;
    uint64_t jammed;
    bool loses;
    double lost_shares[CHANNELS];
    uint64_t loss_seed;
};

struct ys_radio *ys_radio_new(struct ys_clock *clock)
{
    struct ys_radio *radio = calloc(1, sizeof *radio);
    if (radio != NULL)
        radio->clock = clock;
    return radio;
}

static void free_list(struct ys_transmission *transmission)
{
    while (transmission != NULL) {
        struct ys_transmission *next = transmission->next;
        ys_clock_cancel(transmission->radio->clock, &transmission->end);
        free(transmission);
        transmission = next;
    }
}

void ys_radio_free(struct ys_radio *radio)
{
    if (radio == NULL)
        return;
    for (size_t i = 0; i < CHANNELS; i++)
        free_list(radio->transmissions[i]);
    free_list(radio->pool);
    while (radio->noises != NULL) {
        struct noise *next = radio->noises->next;
        ys_clock_cancel(radio->clock, &radio->noises->timer);
        free(radio->noises);
        radio->noises = next;
    }
    ys_propagation_free(radio->propagation);
    free(radio);
}

struct ys_clock *ys_radio_clock(const struct ys_radio *radio)
{
    return radio->clock;
}

void ys_radio_jam(struct ys_radio *radio, uint64_t channels)
{
    radio->jammed = channels;
}

void ys_radio_lose(struct ys_radio *radio, const double shares[40], uint64_t seed)
{
    radio->loses = true;
    radio->loss_seed = seed;
    memcpy(radio->lost_shares, shares, sizeof radio->lost_shares);
}

/* Whether this receiver gets this packet wrong. */
static bool is_lost(const struct ys_radio *radio, const struct ys_air_packet *packet, uint16_t receiver)
{
    double share = radio->lost_shares[packet->channel];
    if (share <= 0)
        return false;
    struct ys_chance chance =
        ys_chance_of(radio->loss_seed ^ packet->start_ns, (uint64_t)packet->sender << 16 | receiver);
    return (double)(ys_chance_next(&chance) >> 11) < share * 9007199254740992.0; /* 2^53 */
}

void ys_radio_observe(struct ys_radio *radio, struct ys_observer *observer)
{
    struct ys_observer **last = &radio->observers;
    while (*last != NULL)
        last = &(*last)->next;
    observer->next = NULL;
    *last = observer;
}

void ys_radio_dismiss(struct ys_radio *radio, struct ys_observer *observer)
{
    struct ys_observer **link = &radio->observers;
    while (*link != NULL && *link != observer)
        link = &(*link)->next;
    if (*link != NULL)
        *link = observer->next;
}

uint64_t ys_radio_count(const struct ys_radio *radio)
{
    return radio->count;
}

bool ys_receiver_hears(const struct ys_receiver *receiver)
{
    return receiver->hears != NULL;
}

/* What a model makes of it */

bool ys_radio_set_model(struct ys_radio *radio, const struct ys_air_model *model)
{
    struct ys_propagation *propagation = model != NULL ? ys_propagation_new(model) : NULL;
    if (model != NULL && propagation == NULL)
        return false;
    ys_propagation_free(radio->propagation);
    radio->propagation = propagation;
    if (model != NULL) {
        radio->model = *model;
        radio->capture_ratio = pow(10, model->capture_db / 10);
    }
    return true;
}

bool ys_radio_place(struct ys_radio *radio, uint16_t number, double x_m, double y_m)
{
    return ys_propagation_place(radio->propagation, number, x_m, y_m);
}

/* How strong a sender is at a receiver, in hundredths of a dBm. */
static int32_t level_cdbm(const struct ys_radio *radio, uint16_t sender, int32_t power_cdbm, uint16_t receiver)
{
    return power_cdbm - ys_propagation_loss_cdb(radio->propagation, sender, receiver);
}

static uint64_t level_aw(const struct ys_radio *radio, uint16_t sender, int32_t power_cdbm, uint16_t receiver)
{
    return ys_propagation_power_aw(radio->propagation, level_cdbm(radio, sender, power_cdbm, receiver));
}

static void judge(const struct ys_radio *radio, struct ys_receiver *receiver)
{
    if ((double)receiver->wanted_aw < radio->capture_ratio * (double)receiver->other_aw)
        receiver->spoiled = true;
}

/* Something else begins, or ends, on a channel: who hears something there has it beside that from now on. */
static void disturb(struct ys_radio *radio, uint8_t channel, const struct ys_transmission *except, uint16_t sender,
                    int32_t power_cdbm, bool begins)
{
    for (struct ys_receiver *receiver = radio->receivers[channel]; receiver != NULL; receiver = receiver->next) {
        if (receiver->hears == NULL || receiver->hears == except || receiver->owner == sender)
            continue;
        uint64_t power_aw = level_aw(radio, sender, power_cdbm, receiver->owner);
        if (begins)
            receiver->other_aw += power_aw;
        else
            receiver->other_aw -= power_aw;
        judge(radio, receiver);
    }
}

/* Channels 0 to 36 are those for data, 37 to 39 those for advertising (Core 5.4 Vol 6 Part A 2, Vol 6 Part B 1.4.1). */
static uint16_t frequency_mhz(uint8_t channel)
{
    static const uint16_t advertising[] = {2402, 2426, 2480};
    if (channel >= 37)
        return advertising[channel - 37];
    return (uint16_t)(channel <= 10 ? 2404 + 2 * channel : 2428 + 2 * (channel - 11));
}

/* A channel is 2 MHz wide. */
static bool covers(const struct ys_interferer *interferer, uint8_t channel)
{
    uint16_t middle_mhz = frequency_mhz(channel);
    return interferer->from_mhz <= middle_mhz + 1 && interferer->to_mhz + 1 >= middle_mhz;
}

static void toggle(void *context)
{
    struct noise *noise = context;
    const struct ys_interferer *interferer = &noise->interferer;
    struct ys_radio *radio = noise->radio;
    noise->on = !noise->on;
    for (uint8_t channel = 0; channel < CHANNELS; channel++) {
        if (covers(interferer, channel))
            disturb(radio, channel, NULL, interferer->number, 100 * interferer->power_dbm, noise->on);
    }
    double pause_us = 2 * interferer->burst_us * (1 - interferer->duty) / interferer->duty;
    uint32_t span_us = pause_us < 4e9 ? (uint32_t)pause_us : 4000000000u;
    uint64_t wait_us = noise->on ? interferer->burst_us : ys_chance_below(&noise->chance, span_us + 1);
    if (interferer->duty < 1)
        ys_clock_set(radio->clock, &noise->timer, ys_clock_now_ns(radio->clock) + wait_us * YS_NS_PER_US);
}

bool ys_radio_interfere(struct ys_radio *radio, const struct ys_interferer *interferer)
{
    struct noise *noise = calloc(1, sizeof *noise);
    if (noise == NULL || radio->propagation == NULL || interferer->duty <= 0 || interferer->burst_us == 0) {
        free(noise);
        return false;
    }
    noise->radio = radio;
    noise->interferer = *interferer;
    noise->chance = ys_chance_of(interferer->seed, interferer->number);
    noise->timer = (struct ys_timer){.fire = toggle, .context = noise};
    noise->next = radio->noises;
    radio->noises = noise;
    toggle(noise);
    return true;
}

/* All that is on a channel but what the receiver is to hear. */
static uint64_t others_aw(const struct ys_radio *radio, const struct ys_receiver *receiver,
                          const struct ys_transmission *wanted)
{
    uint64_t sum_aw = 0;
    for (const struct ys_transmission *other = radio->transmissions[receiver->channel]; other != NULL;
         other = other->next) {
        if (other != wanted && other->packet.sender != receiver->owner)
            sum_aw += level_aw(radio, other->packet.sender, other->power_cdbm, receiver->owner);
    }
    for (const struct noise *noise = radio->noises; noise != NULL; noise = noise->next) {
        if (noise->on && covers(&noise->interferer, receiver->channel))
            sum_aw += level_aw(radio, noise->interferer.number, 100 * noise->interferer.power_dbm, receiver->owner);
    }
    return sum_aw;
}

/* Whether a packet is strong enough to be heard; begins to weigh it against all else. */
static bool reaches(const struct ys_radio *radio, struct ys_receiver *receiver,
                    const struct ys_transmission *transmission)
{
    if ((radio->jammed >> transmission->packet.channel & 1) != 0)
        return false;
    if (radio->propagation == NULL)
        return true;
    int32_t level = level_cdbm(radio, transmission->packet.sender, transmission->power_cdbm, receiver->owner);
    if (level < 100 * radio->model.sensitivity_dbm[transmission->packet.phy])
        return false;
    receiver->wanted_aw = ys_propagation_power_aw(radio->propagation, level);
    receiver->other_aw = others_aw(radio, receiver, transmission);
    receiver->spoiled = false;
    judge(radio, receiver);
    return true;
}

static void stop_hearing(struct ys_receiver *receiver)
{
    if (receiver->hears == NULL)
        return;
    *receiver->hearer_link = receiver->next_hearer;
    if (receiver->next_hearer != NULL)
        receiver->next_hearer->hearer_link = receiver->hearer_link;
    receiver->hears = NULL;
}

static void hear(struct ys_receiver *receiver, struct ys_transmission *transmission)
{
    receiver->hears = transmission;
    receiver->next_hearer = transmission->hearers;
    if (receiver->next_hearer != NULL)
        receiver->next_hearer->hearer_link = &receiver->next_hearer;
    receiver->hearer_link = &transmission->hearers;
    transmission->hearers = receiver;
}

void ys_radio_stop(struct ys_receiver *receiver)
{
    stop_hearing(receiver);
    if (!receiver->listening)
        return;
    *receiver->link = receiver->next;
    if (receiver->next != NULL)
        receiver->next->link = receiver->link;
    receiver->listening = false;
}

void ys_radio_listen(struct ys_radio *radio, struct ys_receiver *receiver, uint8_t channel, enum ys_phy phy,
                     uint32_t access_address)
{
    ys_radio_stop(receiver);
    receiver->channel = channel;
    receiver->phy = phy;
    receiver->access_address = access_address;
    receiver->listening = true;
    receiver->next = radio->receivers[channel];
    if (receiver->next != NULL)
        receiver->next->link = &receiver->next;
    receiver->link = &radio->receivers[channel];
    radio->receivers[channel] = receiver;
}

static void unlink_transmission(struct ys_radio *radio, struct ys_transmission *transmission)
{
    struct ys_transmission **link = &radio->transmissions[transmission->packet.channel];
    while (*link != transmission)
        link = &(*link)->next;
    *link = transmission->next;
}

static void end(void *context)
{
    struct ys_transmission *transmission = context;
    struct ys_radio *radio = transmission->radio;
    struct ys_air_packet *packet = &transmission->packet;
    unlink_transmission(radio, transmission);
    if (radio->propagation != NULL)
        disturb(radio, packet->channel, transmission, packet->sender, transmission->power_cdbm, false);
    for (const struct ys_observer *observer = radio->observers; observer != NULL; observer = observer->next)
        observer->observe(observer->context, packet);
    while (transmission->hearers != NULL) {
        struct ys_receiver *receiver = transmission->hearers;
        stop_hearing(receiver);
        if (radio->propagation != NULL) {
            int32_t level = level_cdbm(radio, packet->sender, transmission->power_cdbm, receiver->owner);
            packet->strength_dbm = (int8_t)lround(fmin(fmax(level / 100.0, -127), 20)); /* as HCI tells it */
            packet->crc_good = !receiver->spoiled;
        }
        if (radio->loses)
            packet->crc_good =
                (radio->propagation == NULL || !receiver->spoiled) && !is_lost(radio, packet, receiver->owner);
        receiver->receive(receiver->context, packet);
    }
    transmission->next = radio->pool;
    radio->pool = transmission;
}

static struct ys_transmission *take_transmission(struct ys_radio *radio)
{
    struct ys_transmission *transmission = radio->pool;
    if (transmission != NULL) {
        radio->pool = transmission->next;
        return transmission;
    }
    transmission = calloc(1, sizeof *transmission);
    if (transmission == NULL)
        abort(); /* a simulation without memory for its packets cannot be true */
    transmission->radio = radio;
    transmission->end.fire = end;
    transmission->end.context = transmission;
    return transmission;
}

static void mark_overlaps(struct ys_radio *radio, struct ys_transmission *transmission)
{
    struct ys_transmission *other = radio->transmissions[transmission->packet.channel];
    transmission->packet.overlapped = other != NULL;
    for (; other != NULL; other = other->next)
        other->packet.overlapped = true;
}

/* What an observer sees of a packet: it stands one metre beside each sender. */
static int8_t seen_dbm(const struct ys_radio *radio, int8_t power_dbm)
{
    return (int8_t)(radio->propagation != NULL ? power_dbm - lround(radio->model.loss_at_1m_db) : STRENGTH_DBM);
}

/* A receiver of coded packets finds out itself which of the two codings it is. */
static bool is_heard_on(enum ys_phy receiver, enum ys_phy sender)
{
    return receiver == sender || (ys_phy_is_coded(receiver) && ys_phy_is_coded(sender));
}

uint64_t ys_radio_send(struct ys_radio *radio, const struct ys_sending *sending)
{
    struct ys_transmission *transmission = take_transmission(radio);
    struct ys_air_packet *packet = &transmission->packet;
    packet->start_ns = ys_clock_now_ns(radio->clock);
    packet->duration_ns = ys_link_duration_ns(sending->phy, sending->length);
    packet->channel = sending->channel;
    packet->phy = sending->phy;
    packet->access_address = sending->access_address;
    packet->strength_dbm = seen_dbm(radio, sending->power_dbm);
    packet->crc_good = true;
    packet->side = sending->side;
    packet->sender = sending->sender;
    packet->length = sending->length;
    packet->crc = ys_link_crc(sending->crc_init, sending->pdu, sending->length);
    memcpy(packet->pdu, sending->pdu, sending->length);
    transmission->power_cdbm = 100 * sending->power_dbm;
    mark_overlaps(radio, transmission);
    if (radio->propagation != NULL)
        disturb(radio, packet->channel, transmission, packet->sender, transmission->power_cdbm, true);
    transmission->hearers = NULL;
    transmission->next = radio->transmissions[sending->channel];
    radio->transmissions[sending->channel] = transmission;
    radio->count++;
    for (struct ys_receiver *receiver = radio->receivers[sending->channel]; receiver != NULL;
         receiver = receiver->next) {
        if (receiver->hears == NULL && is_heard_on(receiver->phy, sending->phy) && receiver->owner != sending->sender &&
            receiver->access_address == sending->access_address && reaches(radio, receiver, transmission))
            hear(receiver, transmission);
    }
    uint64_t end_ns = packet->start_ns + packet->duration_ns;
    ys_clock_set(radio->clock, &transmission->end, end_ns);
    return end_ns;
}
