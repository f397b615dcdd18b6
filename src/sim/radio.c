/* The air. Receivers and transmissions are kept by channel, so that a crowd elsewhere costs nothing. */
#include "sim/radio.h"

#include <math.h>
#include <stdlib.h>
#include <string.h>

#include "machine/crc.h"
#include "measure/errors.h"
#include "sim/chance.h"

#define CHANNELS 40

/* Keeps draws of single bits apart from those of whole packets. */
#define CHANCE_OF_BITS UINT64_C(0xb175000000000000)

/* A perfect radio hears everybody alike. */
#define STRENGTH_DBM (-50)

/* One interferer: a burst, then a pause of twice its mean at most. */
struct noise {
    struct ys_radio *radio;
    struct ys_interferer interferer;
    struct ys_chance chance;
    struct ys_timer timer;
    bool on;
    uint64_t since_ns;
    struct noise *next;
};

/* Something that sends, or makes noise: who, how strongly, and where and when it began. */
struct source {
    uint32_t sender;
    int32_t power_cdbm;
    uint8_t channel;
    bool on_2m;
    uint64_t since_ns;
    struct ys_path *paths; /* to each ear; NULL: none, or the air is perfect */
};

struct ys_transmission {
    struct ys_radio *radio;
    struct ys_air_packet packet;
    struct ys_timer end;
    struct source source;
    uint32_t crc_init;
    struct ys_transmission *next; /* on the same channel, or in the pool */
    struct ys_receiver *hearers;
};

struct ys_radio {
    struct ys_clock *clock;
    struct ys_receiver *receivers[CHANNELS];
    struct ys_transmission *transmissions[CHANNELS];
    struct ys_transmission *pool;
    struct ys_propagation *propagation; /* NULL: the air is perfect */
    struct ys_reception *reception;     /* NULL: it goes by levels */
    uint32_t ears;                      /* that have been given */
    struct ys_air_model model;
    double capture_ratio;
    int seen_loss_db; /* from each sender to who observes */
    struct noise *noises;
    struct ys_observer *observers;
    uint64_t count;
    uint64_t jammed;
    bool loses;
    double lost_shares[CHANNELS];
    uint64_t loss_seed;
    double lost_bits;
    uint64_t bits_seed;
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
    ys_reception_free(radio->reception);
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

void ys_radio_lose_bits(struct ys_radio *radio, double share, uint64_t seed)
{
    radio->lost_bits = share;
    radio->bits_seed = seed;
}

/* Whether one of so many bits is wrong, by the first or the second draw of a packet at a receiver. */
static bool has_wrong_bit(const struct ys_radio *radio, const struct ys_air_packet *packet, uint32_t receiver,
                          unsigned bits, bool second)
{
    if (radio->lost_bits <= 0)
        return false;
    struct ys_chance chance =
        ys_chance_of(radio->bits_seed ^ (packet->start_ns + CHANCE_OF_BITS), ys_chance_two(packet->sender, receiver));
    uint64_t draw = ys_chance_next(&chance);
    if (second)
        draw = ys_chance_next(&chance);
    return (double)(draw >> 11) / 9007199254740992.0 >= pow(1 - radio->lost_bits, bits); /* 2^53 */
}

/* Whether this receiver gets this packet wrong. */
static bool is_lost(const struct ys_radio *radio, const struct ys_air_packet *packet, uint32_t receiver)
{
    double share = radio->lost_shares[packet->channel];
    if (share <= 0)
        return false;
    struct ys_chance chance =
        ys_chance_of(radio->loss_seed ^ packet->start_ns, ys_chance_two(packet->sender, receiver));
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

/* Who listens for long has an ear where there is a model. */
static void give_ear(struct ys_radio *radio, struct ys_receiver *receiver)
{
    receiver->ear = YS_NO_EAR;
    if (radio->propagation == NULL || !receiver->lasts)
        return;
    receiver->ear = ys_propagation_ear(radio->propagation, receiver->owner);
    for (size_t i = 0; receiver->ear >= radio->ears && receiver->ear != YS_NO_EAR && i < CHANNELS; i++) {
        for (struct ys_transmission *other = radio->transmissions[i]; other != NULL; other = other->next)
            other->source.paths = ys_propagation_paths(radio->propagation, other->source.sender);
    }
    if (receiver->ear != YS_NO_EAR && receiver->ear >= radio->ears)
        radio->ears = receiver->ear + 1;
}

bool ys_radio_set_model(struct ys_radio *radio, const struct ys_air_model *model)
{
    bool real = model != NULL && model->reception == YS_RECEPTION_REAL;
    struct ys_propagation *propagation = model != NULL ? ys_propagation_new(model) : NULL;
    struct ys_reception *reception = real ? ys_reception_new(model) : NULL;
    if ((model != NULL && propagation == NULL) || (real && reception == NULL)) {
        ys_propagation_free(propagation);
        ys_reception_free(reception);
        return false;
    }
    ys_propagation_free(radio->propagation);
    ys_reception_free(radio->reception);
    radio->propagation = propagation;
    radio->reception = reception;
    radio->ears = 0;
    for (size_t i = 0; i < CHANNELS; i++) { /* ears are those of a model */
        for (struct ys_receiver *receiver = radio->receivers[i]; receiver != NULL; receiver = receiver->next)
            give_ear(radio, receiver);
    }
    if (model != NULL) {
        radio->model = *model;
        radio->capture_ratio = pow(10, model->capture_db / 10);
        radio->seen_loss_db = (int)lround(model->loss_at_1m_db);
    }
    return true;
}

bool ys_radio_has_model(const struct ys_radio *radio)
{
    return radio->propagation != NULL;
}

bool ys_radio_place(struct ys_radio *radio, uint32_t number, double x_m, double y_m)
{
    return ys_propagation_place(radio->propagation, number, x_m, y_m);
}

bool ys_radio_carry(struct ys_radio *radio, uint32_t number, double body_db)
{
    return ys_propagation_carry(radio->propagation, number, body_db);
}

/* Channels 0 to 36 are those for data, 37 to 39 those for advertising (Core 5.4 Vol 6 Part A 2, Vol 6 Part B 1.4.1).
 * This counts them from 2402 MHz on, in steps of 2 MHz. */
static uint8_t place_of_channel(uint8_t channel)
{
    static const uint8_t advertising[] = {0, 12, 39};
    if (channel >= 37)
        return advertising[channel - 37];
    return (uint8_t)(channel <= 10 ? channel + 1 : channel + 2);
}

/* The path of a source to a receiver, if it is kept; else NULL. */
static inline const struct ys_path *path_of(const struct ys_radio *radio, const struct source *source,
                                            const struct ys_receiver *receiver)
{
    if (receiver->ear == YS_NO_EAR || source->paths == NULL)
        return NULL;
    struct ys_path *path = &source->paths[receiver->ear];
    if (!path->known || path->power_cdbm != source->power_cdbm)
        ys_propagation_learn(radio->propagation, path, source->sender, receiver->ear, source->power_cdbm);
    return path;
}

/* The received power of a packet in hundredths of a dBm, without the part that changes with time. */
static inline int32_t steady_cdbm(const struct ys_radio *radio, const struct source *source,
                                  const struct ys_receiver *receiver)
{
    const struct ys_path *path = path_of(radio, source, receiver);
    return source->power_cdbm - (path != NULL
                                     ? path->loss_cdb
                                     : ys_propagation_loss_cdb(radio->propagation, source->sender, receiver->owner));
}

static inline uint64_t steady_aw(const struct ys_radio *radio, const struct source *source,
                                 const struct ys_receiver *receiver)
{
    const struct ys_path *path = path_of(radio, source, receiver);
    return path != NULL ? path->power_aw
                        : ys_propagation_power_aw(radio->propagation, steady_cdbm(radio, source, receiver));
}

static int32_t real_cdbm(const struct ys_radio *radio, const struct source *source, const struct ys_receiver *receiver)
{
    return steady_cdbm(radio, source, receiver) -
           ys_propagation_change_cdb(radio->propagation, source->sender, receiver->owner,
                                     place_of_channel(source->channel), source->since_ns);
}

static inline int32_t level_cdbm(const struct ys_radio *radio, const struct source *source,
                                 const struct ys_receiver *receiver)
{
    return radio->reception == NULL ? steady_cdbm(radio, source, receiver) : real_cdbm(radio, source, receiver);
}

/* How much of it counts for who listens on a channel and PHY. */
static uint64_t real_aw(const struct ys_radio *radio, const struct source *source, const struct ys_receiver *receiver)
{
    uint64_t aw = ys_propagation_power_aw(radio->propagation, real_cdbm(radio, source, receiver));
    int apart = place_of_channel(source->channel) - place_of_channel(receiver->channel);
    bool on_2m = source->on_2m || receiver->phy == YS_PHY_2M;
    return (uint64_t)((double)aw * ys_reception_weight(radio->reception, (unsigned)abs(apart), on_2m));
}

static inline uint64_t level_aw(const struct ys_radio *radio, const struct source *source,
                                const struct ys_receiver *receiver)
{
    return radio->reception != NULL ? real_aw(radio, source, receiver) : steady_aw(radio, source, receiver);
}

static void judge(const struct ys_radio *radio, struct ys_receiver *receiver)
{
    if ((double)receiver->wanted_aw < radio->capture_ratio * (double)receiver->other_aw)
        receiver->spoiled = true;
}

static void disturb_channel(struct ys_radio *radio, uint8_t channel, const struct ys_transmission *except,
                            const struct source *source, bool begins)
{
    uint64_t now_ns = ys_clock_now_ns(radio->clock);
    for (struct ys_receiver *receiver = radio->receivers[channel]; receiver != NULL; receiver = receiver->next) {
        if (receiver->hears == NULL || receiver->spoiled || receiver->hears == except ||
            receiver->owner == source->sender)
            continue;
        uint64_t power_aw = level_aw(radio, source, receiver);
        if (radio->reception != NULL && power_aw > 0)
            ys_reception_count(radio->reception, &receiver->reception, receiver->other_aw, now_ns);
        if (begins)
            receiver->other_aw += power_aw;
        else /* somebody may have walked meanwhile */
            receiver->other_aw -= power_aw < receiver->other_aw ? power_aw : receiver->other_aw;
        if (radio->reception == NULL)
            judge(radio, receiver);
    }
}

/* Something else begins, or ends: who hears something there, or on a channel beside it, has it beside that from now on.
 */
static void disturb(struct ys_radio *radio, const struct ys_transmission *except, const struct source *source,
                    bool begins)
{
    for (uint8_t channel = 0; channel < CHANNELS && radio->reception != NULL; channel++) {
        if (radio->receivers[channel] != NULL)
            disturb_channel(radio, channel, except, source, begins);
    }
    if (radio->reception == NULL)
        disturb_channel(radio, source->channel, except, source, begins);
}

static uint16_t frequency_mhz(uint8_t channel)
{
    return (uint16_t)(2402 + 2 * place_of_channel(channel));
}

/* A channel is 2 MHz wide. */
static bool covers(const struct ys_interferer *interferer, uint8_t channel)
{
    uint16_t middle_mhz = frequency_mhz(channel);
    return interferer->from_mhz <= middle_mhz + 1 && interferer->to_mhz + 1 >= middle_mhz;
}

/* What of its band lies in a channel is a source there. */
static struct source noise_on(const struct noise *noise, uint8_t channel)
{
    return (struct source){.sender = noise->interferer.number,
                           .power_cdbm = 100 * noise->interferer.power_dbm,
                           .channel = channel,
                           .since_ns = noise->since_ns,
                           .paths = ys_propagation_paths(noise->radio->propagation, noise->interferer.number)};
}

static void toggle(void *context)
{
    struct noise *noise = context;
    const struct ys_interferer *interferer = &noise->interferer;
    struct ys_radio *radio = noise->radio;
    noise->on = !noise->on;
    if (noise->on)
        noise->since_ns = ys_clock_now_ns(radio->clock);
    for (uint8_t channel = 0; channel < CHANNELS; channel++) {
        const struct source source = noise_on(noise, channel);
        if (covers(interferer, channel))
            disturb_channel(radio, channel, NULL, &source, noise->on);
    }
    double pause_us = interferer->burst_us * (1 - interferer->duty) / interferer->duty;
    uint32_t span_us = pause_us < 2e9 ? (uint32_t)pause_us : 2000000000u;
    uint64_t wait_us = noise->on             ? interferer->burst_us
                       : interferer->regular ? span_us
                                             : ys_chance_below(&noise->chance, 2 * span_us + 1);
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

/* Adds interference to a reception; false if it has become too much. */
static bool add_other(const struct ys_radio *radio, struct ys_receiver *receiver, const struct source *source)
{
    receiver->other_aw += level_aw(radio, source, receiver);
    if (radio->reception == NULL)
        judge(radio, receiver);
    return !receiver->spoiled;
}

static void add_channel(const struct ys_radio *radio, struct ys_receiver *receiver, uint8_t channel,
                        const struct ys_transmission *wanted)
{
    for (const struct ys_transmission *other = radio->transmissions[channel]; other != NULL; other = other->next) {
        if (other != wanted && other->source.sender != receiver->owner && !add_other(radio, receiver, &other->source))
            return;
    }
}

/* All that is on the air but what the receiver is to hear, as far as it counts on its channel; no more of it than what
 * spoils that. */
static void add_others(const struct ys_radio *radio, struct ys_receiver *receiver, const struct ys_transmission *wanted)
{
    receiver->other_aw = 0;
    receiver->spoiled = false;
    if (radio->reception == NULL)
        add_channel(radio, receiver, receiver->channel, wanted);
    for (uint8_t channel = 0; channel < CHANNELS && radio->reception != NULL; channel++)
        add_channel(radio, receiver, channel, wanted);
    for (const struct noise *noise = radio->noises; noise != NULL && !receiver->spoiled; noise = noise->next) {
        const struct source source = noise_on(noise, receiver->channel);
        if (noise->on && covers(&noise->interferer, receiver->channel))
            (void)add_other(radio, receiver, &source);
    }
}

/* Whether a packet is strong enough to be heard; begins to weigh it against all else. */
static bool reaches(const struct ys_radio *radio, struct ys_receiver *receiver,
                    const struct ys_transmission *transmission)
{
    const struct ys_air_packet *packet = &transmission->packet;
    if ((radio->jammed >> packet->channel & 1) != 0 ||
        has_wrong_bit(radio, packet, receiver->owner, YS_SYNC_BITS, false))
        return false;
    if (radio->propagation == NULL)
        return true;
    int32_t level = level_cdbm(radio, &transmission->source, receiver);
    if (radio->reception != NULL) {
        struct ys_chance chance =
            ys_chance_of(radio->model.seed ^ packet->start_ns, ys_chance_two(packet->sender, receiver->owner));
        uint64_t draws[2] = {ys_chance_next(&chance), ys_chance_next(&chance)};
        add_others(radio, receiver, transmission);
        return ys_reception_begin(radio->reception, &receiver->reception, packet->phy, level, receiver->other_aw,
                                  packet->start_ns, draws);
    }
    if (level < 100 * radio->model.sensitivity_dbm[packet->phy])
        return false;
    receiver->wanted_aw = steady_aw(radio, &transmission->source, receiver);
    add_others(radio, receiver, transmission);
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
    receiver->has_heard = true;
    if (receiver->silence != NULL)
        ys_clock_cancel(transmission->radio->clock, receiver->silence);
    receiver->next_hearer = transmission->hearers;
    if (receiver->next_hearer != NULL)
        receiver->next_hearer->hearer_link = &receiver->next_hearer;
    receiver->hearer_link = &transmission->hearers;
    transmission->hearers = receiver;
}

/* That nothing has begun a receiver knows only once preamble and access address could have come. */
static uint64_t beginning_ns(const struct ys_receiver *receiver)
{
    return YS_NS_PER_US * (ys_phy_is_coded(receiver->phy) ? 336 : receiver->phy == YS_PHY_2M ? 24 : 40);
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
    if (receiver->use != NULL)
        ys_radio_use_stop(receiver->use,
                          ys_clock_now_ns(receiver->radio->clock) + (receiver->has_heard ? 0 : beginning_ns(receiver)));
}

void ys_radio_listen(struct ys_radio *radio, struct ys_receiver *receiver, uint8_t channel, enum ys_phy phy,
                     uint32_t access_address)
{
    ys_radio_stop(receiver);
    give_ear(radio, receiver);
    receiver->channel = channel;
    receiver->phy = phy;
    receiver->access_address = access_address;
    receiver->listening = true;
    receiver->has_heard = false;
    receiver->radio = radio;
    if (receiver->use != NULL)
        ys_radio_use_listen(receiver->use, ys_clock_now_ns(radio->clock));
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

/* Whether what this receiver has heard until now is whole. */
static bool is_whole(const struct ys_radio *radio, struct ys_receiver *receiver, const struct ys_air_packet *packet)
{
    if (radio->reception != NULL)
        ys_reception_count(radio->reception, &receiver->reception, receiver->other_aw, ys_clock_now_ns(radio->clock));
    return (radio->propagation == NULL ||
            (radio->reception != NULL ? ys_reception_is_good(&receiver->reception) : !receiver->spoiled)) &&
           !(radio->loses && is_lost(radio, packet, receiver->owner)) &&
           !has_wrong_bit(radio, packet, receiver->owner, ys_bits_of(packet->phy, packet->length), true);
}

/* As HCI tells it. */
static int8_t told_dbm(int32_t level_cdbm)
{
    int32_t dbm = (level_cdbm + (level_cdbm < 0 ? -50 : 50)) / 100;
    return (int8_t)(dbm < -127 ? -127 : dbm > 20 ? 20 : dbm);
}

static void end(void *context)
{
    struct ys_transmission *transmission = context;
    struct ys_radio *radio = transmission->radio;
    struct ys_air_packet *packet = &transmission->packet;
    unlink_transmission(radio, transmission);
    if (radio->propagation != NULL)
        disturb(radio, transmission, &transmission->source, false);
    for (const struct ys_observer *observer = radio->observers; observer != NULL; observer = observer->next)
        observer->observe(observer->context, packet);
    while (transmission->hearers != NULL) {
        struct ys_receiver *receiver = transmission->hearers;
        stop_hearing(receiver);
        if (radio->propagation != NULL) {
            packet->strength_dbm = told_dbm(level_cdbm(radio, &transmission->source, receiver));
        }
        packet->crc_good = is_whole(radio, receiver, packet) && receiver->crc_init == transmission->crc_init;
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
    return (int8_t)(radio->propagation != NULL ? power_dbm - radio->seen_loss_db : STRENGTH_DBM);
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
    packet->auxiliary = sending->auxiliary;
    packet->sender = sending->sender;
    packet->length = sending->length;
    packet->crc =
        sending->crc != NULL ? *sending->crc : ys_machine_crc(sending->crc_init, sending->pdu, sending->length);
    transmission->crc_init = sending->crc_init;
    memcpy(packet->pdu, sending->pdu, sending->length);
    transmission->source = (struct source){
        .sender = sending->sender,
        .power_cdbm = 100 * sending->power_dbm,
        .channel = sending->channel,
        .on_2m = sending->phy == YS_PHY_2M,
        .since_ns = packet->start_ns,
        .paths = radio->propagation != NULL ? ys_propagation_paths(radio->propagation, sending->sender) : NULL};
    mark_overlaps(radio, transmission);
    if (radio->propagation != NULL)
        disturb(radio, transmission, &transmission->source, true);
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
    if (sending->use != NULL)
        ys_radio_use_send(sending->use, packet->start_ns, packet->duration_ns, sending->power_dbm);
    uint64_t end_ns = packet->start_ns + packet->duration_ns;
    ys_clock_set(radio->clock, &transmission->end, end_ns);
    return end_ns;
}
